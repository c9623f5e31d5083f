#pragma once
#include "desktop/session/session.h"
#include "desktop/tray/tray_parts.h"

class QComboBox;

namespace moorhaze::desktop {

class Commands;
class SnagList;
class StrokeList;

/// Doubtful places and strokes, a page each; below them the source and the brush.
class MendTray : public Tray {
    Q_OBJECT
  public:
    MendTray(Session& session, Commands& commands, QWidget* parent);

  signals:
    void stroke_chosen(QRectF area);  ///< reference pixels

  private:
    void pick_source(int row);
    void refresh_source();
    void refresh();

    SessionBase& base_;
    QButtonGroup* switch_;
    SnagList* snags_;
    StrokeList* strokes_;
    QComboBox* source_;
    QLabel *swatch_, *source_word_;
    ValueRow *size_, *softness_, *flow_;
};

}  // namespace moorhaze::desktop
