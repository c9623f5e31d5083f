// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QWidget>
#include <memory>
#include <optional>

#include "desktop/view/picture_painter.h"

namespace moorhaze::desktop {

/// Shows a picture of the reference plane, and a second one to compare it with behind a curtain or for as
/// long as a key is held. Zoom is in screen pixels per picture pixel: 1 is 100 % on any screen. Emits what
/// the person points at, in reference pixels; starts no work.
class PictureView : public QWidget {
    Q_OBJECT
  public:
    explicit PictureView(QWidget* parent = nullptr);

    /// @param plane  size of the reference plane in pixels; kept in view by fit().
    void set_plane(QSize plane);
    void set_picture(std::shared_ptr<const DisplayPicture> picture, const QString& label);
    void set_other(std::shared_ptr<const DisplayPicture> other, const QString& label);
    /// A part of the picture as it might be, laid over it; null: none. Not over the other picture.
    /// @param framed  with a dashed rim and its label: it is not the picture itself.
    void set_patch(std::shared_ptr<const DisplayPicture> patch, const QString& label, bool framed = true);
    const std::shared_ptr<const DisplayPicture>& shown_picture() const { return scene_.main.picture; }
    const std::shared_ptr<const DisplayPicture>& patch() const { return scene_.patch.picture; }
    QRect seen() const {
        return framing_.seen();
    }                                 ///< pixels of the plane that are in view, as far as the widget goes
    void refresh(const QRect& area);  ///< part of the picture changed, in reference pixels
    void set_caption(const QString& caption);
    const QString& caption() const { return scene_.caption; }

    void fit();
    bool is_fit() const { return framing_.is_fit(); }
    double zoom() const { return framing_.zoom(); }
    /// From the whole picture to `zoom` around the pointer or the keyboard's mark, and back.
    void look_close(double zoom);
    void set_zoom(double zoom);                  ///< around the middle
    void set_zoom(double zoom, QPointF around);  ///< around a place of the widget
    QPointF to_plane(QPointF widget_place) const { return framing_.to_plane(widget_place); }
    QPointF to_widget(QPointF plane_place) const { return framing_.to_view(plane_place); }
    QPointF centre() const { return framing_.centre(); }  ///< the place in the middle of the widget
    void set_view(double zoom, QPointF centre);           ///< as another view shows it; emits nothing
    void show_place(QPointF plane_place);  ///< brings a place to the middle if it is out of sight

    void set_curtain(bool on);
    bool curtain() const { return scene_.curtain; }
    void set_curtain_place(double across);  ///< 0..1 of the widget's width
    double curtain_place() const { return scene_.curtain_place; }
    void set_flipped(bool flipped);
    bool is_flipped() const { return scene_.flipped; }

    /// With a brush the left button paints, with Shift in a straight line from where the last stroke ended;
    /// without one it points and pans.
    void set_brush(std::optional<double> radius_px);
    /// What is drawn without being seen yet: a line, as wide as the brush or (0) thin.
    void set_guide(const QList<QPointF>& places, double radius_px);
    /// The place under the pointer, else the keyboard's mark.
    QPointF pointed_place() const { return pointer_inside_ ? to_plane(pointer_) : mark_; }
    bool has_brush() const { return brush_radius_.has_value(); }
    /// While on, the left button draws a line instead of panning; without a brush only.
    void set_line_drawing(bool on);
    /// While on, the left button emits handle_...() instead of panning; without a brush only.
    void set_handling(bool on);
    const QList<QPointF>& guide() const { return scene_.guide; }
    /// Words beside a line from the place that was pressed to the pointer, in reference pixels.
    void set_pointer_label(std::optional<QLineF> line, const QString& words);
    bool line_drawing() const { return line_drawing_; }
    /// While on, the left button sets a point under a loupe; without a brush only.
    void set_point_setting(bool on);
    void set_marks(QList<PictureMark> marks);
    void set_rings(QList<PictureRing> rings);
    /// What of the plane is kept, in reference pixels from pixel edge to pixel edge: the rest lies under a
    /// veil. `outlines` are drawn as thin lines. The whole of it is in view when the picture is fit.
    void set_kept(std::optional<QRectF> kept, QList<QPolygonF> outlines, const QString& label,
                  PictureScene::Kept as = PictureScene::Kept::area);
    /// The place that the keyboard points at, in reference pixels.
    QPointF mark() const { return mark_; }
    /// Marks an area to look at, in reference pixels; none: no mark.
    void set_spot(std::optional<QRectF> spot, const QString& label);
    /// Brings an area into the middle, with what is around it, at 50 % to 200 %.
    void look_at(const QRectF& area);
    void set_sounding_place(std::optional<QPointF> place);
    QSize sizeHint() const override { return {896, 726}; }

  signals:
    void pointed(QPointF place);  ///< clicked without dragging, or Return on the mark
    void sounded(QPointF place);  ///< right button: a sounding is asked for
    void hovered(QPointF place);
    void left();
    void point_set(QPointF place);
    void zoom_changed();
    void stroke_began(QPointF place, double pressure);  ///< pressure of a pen, 0..1; a mouse has 1
    void stroke_moved(QPointF place, double pressure);
    void stroke_ended();
    void eraser_used(bool on);  ///< a pen was turned round
    /// The pointer moved while Z was held: logical pixels to the right and up.
    void brush_shaped(double right, double up);
    void frames_stepped(int by);             ///< Shift and wheel
    void line_drawn(QList<QPointF> places);  ///< one place where it was only clicked
    void handle_pressed(QPointF place, Qt::KeyboardModifiers modifiers);
    void handle_moved(QPointF place, Qt::KeyboardModifiers modifiers);
    void handle_released();

  protected:
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void tabletEvent(QTabletEvent* event) override;
    void leaveEvent(QEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void keyReleaseEvent(QKeyEvent* event) override;
    void focusInEvent(QFocusEvent* event) override;
    void focusOutEvent(QFocusEvent* event) override;

  private:
    enum class Drag { none, point, pan, curtain, paint, line, loupe, handle };
    void reframed();
    void move_mark(QPointF by);
    void end_key_painting();
    void begin_painting(QPointF at, Qt::KeyboardModifiers modifiers, double pressure);
    bool near_curtain(QPointF place) const;
    void update_cursor(QPointF place);

    PictureScene scene_;
    PictureFraming framing_;
    bool space_held_ = false, shaping_held_ = false, key_painting_ = false;
    std::optional<double> brush_radius_;
    std::optional<QPointF> stroke_end_;  ///< where the last one ended, in reference pixels
    bool line_drawing_ = false, point_setting_ = false, handling_ = false;
    QPointF mark_, pointer_;
    bool pointer_inside_ = false;
    bool eraser_ = false;  ///< the pen that was seen last is turned round
    int wheel_rest_ = 0;   ///< of a step that is not whole yet
    Drag drag_ = Drag::none;
    Qt::MouseButton drag_button_ = Qt::NoButton;  ///< that began it
    QPointF press_, last_;
};

}  // namespace moorhaze::desktop
