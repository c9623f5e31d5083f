#pragma once
#include "desktop/session/session.h"
#include "desktop/tray/tray_parts.h"

class QCheckBox;
class QComboBox;
class QListWidget;

namespace moorhaze::desktop {

/// Method and settings of the next merge, and the results so far.
class MergeTray : public Tray {
    Q_OBJECT
  public:
    MergeTray(Session& session, QWidget* parent);

  signals:
    void merge_asked();
    void mend_asked();
    void result_chosen(int id);
    void drop_asked(int id);

  private:
    void show_settings();
    void show_results();
    void settings_edited();
    Session& session_;
    QComboBox* method_;
    QLabel *about_, *no_results_;
    ValueRow *detail_, *seam_, *floor_;
    QCheckBox* glare_;
    QListWidget* results_;
    QPushButton *merge_, *drop_, *mend_;
};

}  // namespace moorhaze::desktop
