// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "desktop/session/session.h"
#include "desktop/tray/tray_parts.h"

class QCheckBox;
class QComboBox;

namespace moorhaze::desktop {

class Commands;

/// Method and settings of the next merge, and the results so far.
class MergeTray : public Tray {
    Q_OBJECT
  public:
    MergeTray(Session& session, Commands& commands, QWidget* parent);

  signals:
    void drop_asked(moorhaze::ResultId result);

  private:
    void show_settings();
    void show_results();
    /// One setting at a time: what was typed elsewhere keeps its digits.
    void edit(const QString& field, const std::function<void(MergeChoice&)>& change);
    void show_partners();
    void show_growth();  ///< of the merge under way, on a card of its own
    /// A check box with a few quiet words beside it.
    QCheckBox* add_switch(const QString& text, const QString& word, const QString& tip);
    void rename(ResultId result);
    ResultId result_at(int row) const;
    ListRow card_of(const ProjectResult& result);
    void show_cards();
    Session& session_;
    QComboBox *method_, *backdrop_, *look_choice_, *partner_;
    QLabel *about_, *no_results_;
    ValueRow *detail_, *seam_, *floor_;
    QLabel* backdrop_word_;
    QCheckBox *glare_, *unveil_, *grain_, *ahead_;
    RowList* results_;
    QPushButton *rename_, *drop_;
};

}  // namespace moorhaze::desktop
