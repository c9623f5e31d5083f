// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QPointF>
#include <QRect>
#include <QRectF>
#include <QSize>
#include <optional>

namespace moorhaze::desktop {

/// Which part of the reference plane a view shows, and how large. Zoom is in screen pixels per picture pixel:
/// 1 is 100 % on any screen. Places of the view are in logical pixels, places of the plane in reference
/// pixels, whose centres lie at whole numbers. A plain value without a widget.
class PictureFraming {
  public:
    /// @param device_ratio  screen pixels per logical pixel.
    void set_view_size(QSize size, double device_ratio);
    QSize view_size() const { return view_; }
    double device_ratio() const { return device_ratio_; }
    void set_plane(QSize plane);
    QSize plane() const { return plane_; }
    /// What reaches beyond the plane and shall be in view when the picture is fit.
    void set_also_in_view(std::optional<QRectF> area);
    /// The plane with what shall also be in view, from pixel edge to pixel edge.
    QRectF in_view_when_fit() const;

    void fit();
    bool is_fit() const { return fit_; }
    double zoom() const { return zoom_; }
    void set_zoom(double zoom, QPointF around);  ///< around a place of the view
    QPointF centre() const { return centre_; }   ///< the place in the middle of the view
    void set(double zoom, QPointF centre);
    void pan(QPointF by);                 ///< logical pixels
    void bring_to_middle(QPointF place);  ///< of the plane

    double scale() const { return zoom_ / device_ratio_; }  ///< logical pixels per picture pixel
    QPointF to_plane(QPointF view_place) const;
    QPointF to_view(QPointF plane_place) const;
    QRectF to_view(const QRectF& plane_area) const;
    QRect seen() const;                         ///< pixels of the plane that are in view
    QPointF inside(QPointF plane_place) const;  ///< the nearest place of the plane

  private:
    void hold_in_view();

    QSize view_, plane_;
    double device_ratio_ = 1, zoom_ = 1;
    QPointF centre_;
    bool fit_ = true;
    std::optional<QRectF> also_in_view_;
};

}  // namespace moorhaze::desktop
