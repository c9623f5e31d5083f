// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "core/picture/tone_curve.h"
#include "core/work/job.h"

namespace moorhaze {

/// What a picture goes on with beyond its border: each place outside has the light of the nearest place of
/// the border, averaged over more and more of it the farther outside it lies, so that nothing there draws the
/// eye. Immutable, thread-safe.
class Surround {
  public:
    Surround() = default;
    /// @param picture  16 bit.   @throws Cancelled.   Peak memory small.
    Surround(const Picture& picture, const ToneCurve& curve, const Job& job);

    /// Fills what of a part lies outside of the picture.
    /// @param light       whose border is repeated there;  @param part  pixels that it covers.
    /// @param to_picture  those pixels to the picture's.
    void continue_border(cv::Mat3f& light, PixelRect part, const cv::Matx33d& to_picture) const;

  private:
    cv::Vec3f at(double x, double y, double spread_px) const;

    std::vector<cv::Mat3f> levels_;  ///< linear, each half the one before
    double shrink_ = 1;              ///< picture pixels per pixel of the finest
    cv::Size size_;                  ///< of the picture
};

}  // namespace moorhaze
