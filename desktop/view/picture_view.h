#pragma once
#include <QWidget>
#include <memory>
#include <optional>

#include "desktop/session/display_picture.h"

namespace moorhaze::desktop {

/// A numbered place in the picture, in reference pixels.
struct PictureMark {
    QPointF place;
    QString label;
    bool waiting = false;  ///< its partner is still to be set
};

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
    void set_patch(std::shared_ptr<const DisplayPicture> patch, const QString& label);
    const std::shared_ptr<const DisplayPicture>& patch() const { return patch_; }
    QRect seen() const;               ///< pixels of the plane that are in view, as far as the widget goes
    void refresh(const QRect& area);  ///< part of the picture changed, in reference pixels
    void set_caption(const QString& caption);
    const QString& caption() const { return caption_; }

    void fit();
    bool is_fit() const { return fit_; }
    double zoom() const { return zoom_; }
    void set_zoom(double zoom);                  ///< around the middle
    void set_zoom(double zoom, QPointF around);  ///< around a place of the widget
    QPointF to_plane(QPointF widget_place) const;
    QPointF to_widget(QPointF plane_place) const;
    QPointF centre() const { return centre_; }   ///< the place in the middle of the widget
    void set_view(double zoom, QPointF centre);  ///< as another view shows it; emits nothing
    void show_place(QPointF plane_place);        ///< brings a place to the middle if it is out of sight

    void set_curtain(bool on);
    bool curtain() const { return curtain_; }
    void set_curtain_place(double across);  ///< 0..1 of the widget's width
    double curtain_place() const { return curtain_place_; }
    void set_flipped(bool flipped);
    bool is_flipped() const { return flipped_; }

    /// With a brush the left button paints; without one it points and pans.
    void set_brush(std::optional<double> radius_px);
    bool has_brush() const { return brush_radius_.has_value(); }
    /// While on, the left button draws a line instead of panning; without a brush only.
    void set_line_drawing(bool on);
    bool line_drawing() const { return line_drawing_; }
    /// While on, the left button sets a point under a loupe; without a brush only.
    void set_point_setting(bool on);
    void set_marks(QList<PictureMark> marks);
    /// What of the plane is kept, in reference pixels from pixel edge to pixel edge: the rest lies under a
    /// veil. `outlines` are drawn as thin lines. The whole of it is in view when the picture is fit.
    void set_kept(std::optional<QRectF> kept, QList<QPolygonF> outlines, const QString& label);
    /// The place that the keyboard points at, in reference pixels.
    QPointF mark() const { return mark_; }
    void set_sounding_place(std::optional<QPointF> place);
    QSize sizeHint() const override { return {896, 726}; }

  signals:
    void pointed(QPointF place);  ///< clicked without dragging, or Return on the mark
    void sounded(QPointF place);  ///< right button: a sounding is asked for
    void hovered(QPointF place);
    void left();
    void point_set(QPointF place);
    void zoom_changed();
    void stroke_began(QPointF place);
    void stroke_moved(QPointF place);
    void stroke_ended();
    void frames_stepped(int by);             ///< Shift and wheel
    void line_drawn(QList<QPointF> places);  ///< one place where it was only clicked

  protected:
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void leaveEvent(QEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void keyReleaseEvent(QKeyEvent* event) override;
    void focusInEvent(QFocusEvent* event) override;
    void focusOutEvent(QFocusEvent* event) override;

  private:
    enum class Drag { none, point, pan, curtain, paint, line, loupe };
    void draw(QPainter& painter, const DisplayPicture& picture, const QRectF& part) const;
    void draw_label(QPainter& painter, const QString& text, QPointF corner, Qt::Corner anchor) const;
    void draw_patch(QPainter& painter, const QRectF& part) const;
    void draw_kept(QPainter& painter) const;
    void draw_marks(QPainter& painter) const;
    void draw_loupe(QPainter& painter) const;
    QRectF in_view_when_fit() const;
    double scale() const;  ///< logical widget pixels per picture pixel
    void hold_in_view();
    void fit_now();
    void move_mark(QPointF by);
    bool near_curtain(QPointF place) const;
    void update_cursor(QPointF place);

    std::shared_ptr<const DisplayPicture> picture_, other_, patch_;
    QString picture_label_, other_label_, patch_label_, caption_;
    QSize plane_;
    QPointF centre_;  ///< reference place in the middle of the widget
    double zoom_ = 1;
    bool fit_ = true, curtain_ = false, flipped_ = false, space_held_ = false;
    bool key_painting_ = false;
    double curtain_place_ = 0.5;
    std::optional<double> brush_radius_;
    bool line_drawing_ = false;
    QList<QPointF> line_;  ///< in reference pixels
    bool point_setting_ = false;
    QList<PictureMark> marks_;
    std::optional<QRectF> kept_;
    QList<QPolygonF> outlines_;
    QString kept_label_;
    std::optional<QPointF> sounding_place_;
    QPointF mark_, pointer_;
    bool pointer_inside_ = false;
    Drag drag_ = Drag::none;
    QPointF press_, last_;
};

}  // namespace moorhaze::desktop
