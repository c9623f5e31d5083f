#pragma once
#include "desktop/session/session.h"
#include "desktop/tray/tray_parts.h"

class QListWidget;

namespace moorhaze::desktop {

/// How the frames lie against the reference frame.
class AlignTray : public Tray {
    Q_OBJECT
  public:
    AlignTray(Session& session, QWidget* parent);

  signals:
    void align_asked();
    void merge_asked();
    void curtain_asked();
    void frame_chosen(int frame);

  private:
    void refresh();
    Session& session_;
    QLabel *summary_, *frame_, *crop_;
    QListWidget* troubled_;
    QPushButton *align_, *curtain_, *merge_;
};

}  // namespace moorhaze::desktop
