#pragma once
#include "desktop/session/result_look.h"
#include "desktop/session/session.h"
#include "desktop/session/trial.h"
#include "desktop/tray/tray_parts.h"

class QCheckBox;
class QComboBox;
class QListWidget;
class QListWidgetItem;

namespace moorhaze::desktop {

/// Method and settings of the next merge, and the results so far.
class MergeTray : public Tray {
    Q_OBJECT
  public:
    MergeTray(Session& session, ResultLook& look, Trial& trial, QWidget* parent);
    /// Id of the result that the one shown is compared with; 0: the frame shown.
    int compared_with() const;

  signals:
    void merge_asked();
    void mend_asked();
    void result_chosen(int id);
    void drop_asked(int id);
    void partner_changed();

  private:
    void show_settings();
    void show_results();
    void settings_edited();
    void show_partners();
    void show_growth();  ///< of the merge under way, on a card of its own
    /// A check box with a few quiet words beside it.
    QCheckBox* add_switch(const QString& text, const QString& word, const QString& tip);
    void rename();
    Session& session_;
    ResultLook& look_;
    Trial& trial_;
    QComboBox *method_, *backdrop_, *look_choice_, *partner_;
    QLabel *about_, *no_results_;
    ValueRow *detail_, *seam_, *floor_;
    QLabel* backdrop_word_;
    QCheckBox *glare_, *grain_, *ahead_;
    QListWidget* results_;
    QListWidgetItem* growing_ = nullptr;  ///< the card of the merge under way
    QPushButton *merge_, *rename_, *drop_, *mend_;
};

}  // namespace moorhaze::desktop
