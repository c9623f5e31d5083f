#pragma once
#include "desktop/session/session_base.h"
#include "desktop/tray/tray_parts.h"

namespace moorhaze::desktop {

class Commands;

/// Drawing in from frames and wiping back.
class MendTray : public Tray {
    Q_OBJECT
  public:
    MendTray(SessionBase& base, Commands& commands, QWidget* parent);

  private:
    void refresh();
    SessionBase& base_;
    QLabel *source_, *swatch_, *source_word_, *count_;
    ValueRow *size_, *softness_, *flow_;
};

}  // namespace moorhaze::desktop
