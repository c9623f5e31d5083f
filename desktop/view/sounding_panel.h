// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QWidget>

#include "desktop/session/shown/sounding.h"

namespace moorhaze::desktop {

/// The patches of a sounding, farthest at the top as on the depth line, over the left edge of the picture, or
/// the right one.
class SoundingPanel : public QWidget {
    Q_OBJECT
  public:
    explicit SoundingPanel(Sounding& sounding, QWidget* parent = nullptr);

    /// Fits the panel into the height there is, over the left edge of the room, or over the right one where
    /// it would hide the place that it is about.
    void place_in(const QRect& room, QPointF place);
    /// Side of a patch on the screen, in logical px, for the height there is.
    static int patch_side(int room_height);
    /// Middle of each patch: frame and height in the parent; none when it does not stand beside the line.
    std::vector<std::pair<FrameId, int>> threads() const;
    /// Chooses the n-th patch, of a frame or behind them of a result, from the top, counted from 1.
    void choose(int number);

  signals:
    void frame_chosen(moorhaze::FrameId frame);
    void result_chosen(moorhaze::ResultId result);
    void closed();

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void leaveEvent(QEvent* event) override;

  private:
    int rows() const;
    QRect row_rect(int row) const;
    void paint_picture(QPainter& painter, const QRect& picture, const QImage& image) const;
    void paint_result(QPainter& painter, int row, const Sounding::ResultPatch& patch) const;
    QRect close_rect() const;
    int row_at(QPoint place) const;

    Sounding& sounding_;
    int side_ = 60, hovered_row_ = -1;
    bool is_right_ = false;
    QPointF placed_for_;  ///< the place when the edge was chosen: it does not change while one moves about
};

}  // namespace moorhaze::desktop
