// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QTimer>
#include <QWidget>

#include "desktop/session/hands/stroke_edits.h"
#include "desktop/view/row_list.h"

class QLabel;
class QPushButton;

namespace moorhaze::desktop {

/// Page of Mend: what was painted on the result shown, the newest first. Each can be switched off and on,
/// painted anew as the brush is now, and deleted, in any order; all of it is undone as everything else.
class StrokeList : public QWidget {
    Q_OBJECT
  public:
    StrokeList(SessionBase& base, MendedDisplay& display, StrokeEdits& edits, QWidget* parent);
    void refresh();

  signals:
    /// A stroke was clicked: where it lies, reference pixels.
    void chosen(QRectF area);

  private:
    const ProjectResult* result() const { return base_.standpoint.result(); }
    int stroke_at(int row) const;  ///< the newest comes first
    int chosen_stroke() const;     ///< -1: none
    /// What is seen where a stroke lies, with the colour of what it brings at its left.
    QPixmap small_picture(const Stroke& stroke) const;

    SessionBase& base_;
    MendedDisplay& display_;
    StrokeEdits& edits_;
    QLabel* words_;
    RowList* list_;
    QPushButton *as_brush_, *delete_, *take_over_;
    QTimer later_;  ///< small pictures follow what is painted a little later
};

}  // namespace moorhaze::desktop
