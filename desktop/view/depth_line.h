// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QWidget>
#include <optional>
#include <vector>

#include "desktop/view/depth_scale.h"

namespace moorhaze::desktop {

/// One frame on the depth line, as shown.
struct DepthTick {
    bool used = true;
    double share = -1;  ///< part of the picture that is sharpest in it, 0..1; below 0: not known yet
    QString warning;    ///< in words; empty if none
    int strokes = 0;    ///< that bring something of it to the result shown
    double step = 1;    ///< from the frame before, in usual steps of the series
};

/// How something drifts from frame to frame, as a curve along the depth line.
struct DriftCurve {
    std::vector<std::optional<double>> values;  ///< by frame; nothing where it is not known
    bool dashed = false;
    bool operator==(const DriftCurve&) const = default;
};

/// Ground and ends (far above, near below) of a depth line; leaves the painter smooth and with the small
/// font.
void paint_depth_ground(QPainter& painter, const QRect& area);

/// The upright line of frames, near at the bottom, far at the top. A tick per frame, its length says how much
/// of the picture is sharpest there; hatching for gaps; hollow ticks for frames left out; two handles for the
/// range. Where frames stand close it opens up around the pointer.
class DepthLine : public QWidget {
    Q_OBJECT
  public:
    explicit DepthLine(QWidget* parent = nullptr);

    void set_ticks(std::vector<DepthTick> ticks);
    void set_gaps(std::vector<int> after);  ///< a gap lies between each of these frames and the next
    void set_current(int frame);
    void set_range(int first, int last);
    /// What the tip says of a frame, by its index.
    QString describe(int frame) const;
    void set_reference(int frame);
    /// Curves share one scale, from the smallest value at the left to the largest at the right; a line stands
    /// at `rest`. Rings mark the frames given.
    void set_drift(std::vector<DriftCurve> curves, double rest, std::vector<int> ringed);
    /// Threads from ticks to patches of the sounding: frame and height in this widget.
    void set_threads(std::vector<std::pair<int, int>> threads, int chosen_frame);

    int count() const { return int(ticks_.size()); }
    double y_of(double frame) const {
        return scale_.y_of(frame);
    }  ///< height of a frame's tick, or between two
    int frame_at(double y) const { return scale_.frame_at(y); }
    QRectF handle_rect(bool far_end) const;
    QSize sizeHint() const override { return {104, 600}; }

  signals:
    void frame_chosen(int frame);
    void use_toggled(int frame);
    void range_dragged(int first, int last);  ///< while a handle moves
    void range_chosen(int first, int last);   ///< when it is let go, or by key

  protected:
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void leaveEvent(QEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    bool event(QEvent* event) override;

  private:
    enum class Drag { none, step, far_handle, near_handle };
    bool is_handle_held() const;
    void open_up();
    double tick_height() const;
    QRectF tick_rect(int frame) const;
    void draw_tick(QPainter& painter, int frame) const;
    void draw_gap(QPainter& painter, int after) const;
    void draw_handle(QPainter& painter, bool far_end) const;
    void draw_threads(QPainter& painter) const;
    void draw_drift(QPainter& painter) const;

    std::vector<DepthTick> ticks_;
    DepthScale scale_;
    std::vector<int> gaps_;
    std::vector<std::pair<int, int>> threads_;
    std::vector<DriftCurve> drift_;
    double drift_rest_ = 0;
    std::vector<int> ringed_;
    int thread_frame_ = -1;
    int current_ = 0, first_ = 0, last_ = 0, reference_ = -1;
    double longest_share_ = 0;
    std::optional<double> pointer_y_;
    Drag drag_ = Drag::none;
    int wheel_rest_ = 0;
};

}  // namespace moorhaze::desktop
