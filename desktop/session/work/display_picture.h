// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QImage>
#include <QRect>
#include <vector>

#include "core/picture/display.h"
#include "desktop/session/work/screen_profile.h"

namespace moorhaze::desktop {

/// A picture ready for the screen, with its place in the reference plane (in whole reference pixels).
/// Painted and changed in the interface's thread only.
class DisplayPicture {
  public:
    DisplayPicture() = default;
    /// @param scale  reference pixels per pixel of the finest level; above 1 for pictures at screen size.
    DisplayPicture(std::vector<cv::Mat4b> levels, QPoint origin, double scale = 1)
        : levels_(std::move(levels)), origin_(origin), scale_(scale) {
        for (const cv::Mat4b& level : levels_)
            images_.emplace_back(level.data, level.cols, level.rows, qsizetype(level.step),
                                 QImage::Format_RGB32);
    }

    QPoint origin() const { return origin_; }
    double scale() const { return scale_; }
    QSize size() const { return images_.empty() ? QSize() : images_[0].size(); }
    QRect area() const { return {origin_, size()}; }
    /// Each level half the one before, finest first; they look into the same memory as replace() writes to.
    const std::vector<QImage>& levels() const { return images_; }

    /// @param at  in reference pixels; the patch lies inside.
    void replace(const cv::Mat4b& patch, QPoint at) {
        replace_in_levels(levels_, patch, {at.x() - origin_.x(), at.y() - origin_.y()});
    }

  private:
    std::vector<cv::Mat4b> levels_;
    std::vector<QImage> images_;
    QPoint origin_;
    double scale_ = 1;
};

inline QRect to_qrect(const PixelRect& rect) {
    return {rect.x, rect.y, rect.width, rect.height};
}
inline PixelRect to_pixel_rect(const QRect& rect) {
    return {rect.x(), rect.y(), rect.width(), rect.height()};
}

/// A picture in the screen's colours, for what is looked at closely. What is kept on the disc, and small
/// pictures in lists, are sRGB: to_display().
inline std::vector<cv::Mat4b> shown_levels(const Picture& picture, const Job& job) {
    return display_levels(picture, job, screen_profile());
}
inline cv::Mat4b shown_pixels(const Picture& picture, const Job& job) {
    return to_display(picture, job, screen_profile());
}

/// One level as an image of its own memory.
inline QImage image_of(const cv::Mat4b& pixels) {
    return QImage(pixels.data, pixels.cols, pixels.rows, qsizetype(pixels.step), QImage::Format_RGB32).copy();
}

}  // namespace moorhaze::desktop
