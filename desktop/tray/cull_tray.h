#pragma once
#include "desktop/session/session.h"
#include "desktop/tray/tray_parts.h"

class QCheckBox;
class QListWidget;
class QSpinBox;

namespace moorhaze::desktop {

/// Which frames and which depth: suggestions with reasons, the range, the frame shown, the reference frame.
class CullTray : public Tray {
    Q_OBJECT
  public:
    CullTray(Session& session, QWidget* parent);
    void show_marks(bool on);
    void show_quick_look(bool on);
    void show_keeping(bool on);

  signals:
    void accept_asked();
    void next_suggestion_asked();
    void near_here_asked();
    void far_here_asked();
    void toggle_use_asked();
    void reference_chosen(int frame);
    void frame_chosen(int frame);
    void marks_asked(bool on);
    void reach_chosen(double reach);
    void keep_asked(bool on);
    void quick_look_asked(bool on);
    void order_asked();
    void save_asked();
    void merge_asked();

  private:
    void refresh();
    Session& session_;
    QListWidget* list_;
    QLabel *none_, *gaps_, *order_, *mixed_, *range_, *this_frame_, *suggested_, *hint_;
    QPushButton *accept_, *next_suggestion_, *put_in_order_, *toggle_, *save_, *near_, *far_, *keep_, *quick_,
        *merge_;
    ValueRow* reach_;
    QSpinBox* reference_;
    QCheckBox* marks_;
};

}  // namespace moorhaze::desktop
