// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "desktop/session/session.h"
#include "desktop/tray/tray_parts.h"

class QCheckBox;
class QComboBox;

namespace moorhaze::desktop {

class Commands;
class FillPage;
class SnagList;
class StrokeList;

/// Doubtful places, strokes and whole areas, a page each; below them the source and the brush.
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
    Commands& commands_;
    QButtonGroup* switch_;
    SnagList* snags_;
    StrokeList* strokes_;
    FillPage* fill_;
    QComboBox* source_;
    QLabel *swatch_, *source_word_;
    QCheckBox *match_tone_, *through_;
    ValueRow *size_, *softness_, *flow_;
};

}  // namespace moorhaze::desktop
