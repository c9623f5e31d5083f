// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/view/picture_framing.h"

#include <algorithm>

namespace moorhaze::desktop {
namespace {

constexpr double kLargestZoom = 16, kSmallestZoom = 0.02;

}  // namespace

void PictureFraming::set_view_size(QSize size, double device_ratio) {
    view_ = size;
    device_ratio_ = device_ratio;
    if (fit_) fit();
}

void PictureFraming::set_plane(QSize plane) {
    plane_ = plane;
    fit();
}

void PictureFraming::set_also_in_view(std::optional<QRectF> area) {
    if (area == also_in_view_) return;
    also_in_view_ = area;
    if (fit_) fit();
}

QRectF PictureFraming::in_view_when_fit() const {
    const QRectF plane(-0.5, -0.5, plane_.width(), plane_.height());
    return also_in_view_ ? plane.united(*also_in_view_) : plane;
}

void PictureFraming::fit() {
    fit_ = true;
    if (plane_.isEmpty() || view_.width() <= 0) return;
    const QRectF shown = in_view_when_fit();
    const double wide = view_.width() / shown.width(), high = view_.height() / shown.height();
    zoom_ = std::clamp(std::min(wide, high) * device_ratio_, kSmallestZoom, kLargestZoom);
    centre_ = shown.center();
}

void PictureFraming::set_zoom(double zoom, QPointF around) {
    const QPointF place = to_plane(around);
    fit_ = false;
    zoom_ = std::clamp(zoom, kSmallestZoom, kLargestZoom);
    centre_ += place - to_plane(around);
    hold_in_view();
}

void PictureFraming::set(double zoom, QPointF centre) {
    fit_ = false;
    zoom_ = zoom;
    centre_ = centre;
}

void PictureFraming::pan(QPointF by) {
    fit_ = false;
    centre_ -= by / scale();
    hold_in_view();
}

void PictureFraming::bring_to_middle(QPointF place) {
    fit_ = false;
    centre_ = place;
    hold_in_view();
}

QPointF PictureFraming::to_plane(QPointF place) const {
    return (place - QPointF(view_.width() / 2.0, view_.height() / 2.0)) / scale() + centre_;
}

QPointF PictureFraming::to_view(QPointF place) const {
    return (place - centre_) * scale() + QPointF(view_.width() / 2.0, view_.height() / 2.0);
}

QRectF PictureFraming::to_view(const QRectF& area) const {
    return {to_view(area.topLeft()), to_view(area.bottomRight())};
}

QRect PictureFraming::seen() const {
    return QRectF(to_plane({0, 0}), to_plane(QPointF(view_.width(), view_.height()))).toAlignedRect() &
           QRect({}, plane_);
}

QPointF PictureFraming::inside(QPointF place) const {
    return {std::clamp(place.x(), 0.0, std::max(0.0, plane_.width() - 1.0)),
            std::clamp(place.y(), 0.0, std::max(0.0, plane_.height() - 1.0))};
}

void PictureFraming::hold_in_view() {
    // The picture's middle part can always be reached, and it never leaves the view altogether.
    centre_ = inside(centre_);
}

}  // namespace moorhaze::desktop
