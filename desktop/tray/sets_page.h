// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QWidget>
#include <array>

#include "desktop/session/session.h"
#include "desktop/view/row_list.h"

class QCheckBox;
class QLabel;
class QLineEdit;
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
    void show_list();
    void refresh();
    void choose(int place);
    QPixmap picture_of(int place) const;

    Session& session_;
    SetList& set_;
    SetRun& run_;
    RowList* series_;
    QLabel *recipe_, *state_;
    std::array<QCheckBox*, std::size(kRecipeParts)> parts_{};
    QLineEdit* out_;
    QCheckBox* replaces_;
    QPushButton *table_, *watch_, *views_;
};

}  // namespace moorhaze::desktop
