// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QIcon>
#include <QWidget>
#include <array>

#include "desktop/session/session.h"
#include "desktop/session/shown/series_thumbs.h"

class QCheckBox;
class QLabel;
class QLineEdit;
class QListWidget;
class QListWidgetItem;
class QPushButton;

namespace moorhaze::desktop {

class Commands;

/// Page of Plan: the series that were found, the recipe for all of them, and what became of each.
class SetsPage : public QWidget {
    Q_OBJECT
  public:
    SetsPage(Session& session, Commands& commands, QWidget* parent);

    /// What the violet button does and says.
    void next_step();
    QString next_step_text() const;
    bool can_step() const { return run_.is_running() || run_.why_not().isEmpty(); }
    QString why_not() const { return run_.is_running() ? QString() : run_.why_not(); }

  signals:
    void changed();
    /// A series was clicked that has a place on the card, or else its files or project.
    void series_chosen(int place);
    void paths_chosen(const QStringList& paths);

  protected:
    void showEvent(QShowEvent* event) override;

  private:
    void want_thumbs();
    void fill_list();
    void show_entry(int place);
    void refresh();
    void choose(int place);
    QIcon picture_of(int place) const;

    Session& session_;
    SetRun& run_;
    SeriesThumbs thumbs_;
    QListWidget* series_;
    QLabel *recipe_, *state_;
    std::array<QCheckBox*, std::size(kRecipeParts)> parts_{};
    QLineEdit* out_;
    QCheckBox* replaces_;
    QPushButton *table_, *watch_, *views_;
    bool is_filling_ = false;
    bool has_thumbs_ = false;  ///< asked for; only where somebody looks: Bring in makes the same
};

}  // namespace moorhaze::desktop
