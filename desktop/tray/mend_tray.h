#pragma once
#include "desktop/session/snag_walk.h"
#include "desktop/tray/tray_parts.h"

class QListWidget;

namespace moorhaze::desktop {

class Commands;

/// The doubtful places, drawing in from frames and wiping back.
class MendTray : public Tray {
    Q_OBJECT
  public:
    MendTray(SessionBase& base, SnagWalk& walk, Commands& commands, QWidget* parent);

  private:
    void refresh();
    void refresh_snags();
    QString snags_in_words() const;

    SessionBase& base_;
    SnagWalk& walk_;
    QListWidget* list_;
    QLabel *snags_, *source_, *swatch_, *source_word_, *count_;
    ValueRow *size_, *softness_, *flow_;
};

}  // namespace moorhaze::desktop
