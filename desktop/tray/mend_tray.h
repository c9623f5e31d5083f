#pragma once
#include "desktop/session/mend.h"
#include "desktop/tray/tray_parts.h"

namespace moorhaze::desktop {

/// Drawing in from frames and wiping back.
class MendTray : public Tray {
    Q_OBJECT
  public:
    MendTray(Session& session, Mend& mend, QWidget* parent);

  signals:
    void draw_asked();
    void wipe_asked();
    void undo_asked();
    void redo_asked();
    void deliver_asked();

  private:
    void refresh();
    Session& session_;
    Mend& mend_;
    QLabel *source_, *swatch_, *source_word_, *count_;
    QPushButton *draw_, *wipe_, *undo_, *redo_, *deliver_;
    ValueRow *size_, *softness_, *flow_;
};

}  // namespace moorhaze::desktop
