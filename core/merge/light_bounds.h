// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <opencv2/core.hpp>

#include "core/work/job.h"

namespace moorhaze {

/// Smallest and largest light that frames hold at each place; what is merged is held within them, so that no
/// glare or dark rim beyond those of the frames is left. Kept as 16-bit square roots to save memory.
class LightBounds {
  public:
    explicit LightBounds(cv::Size size);

    /// Takes in `width` columns of linear light of row y, from column `x` on. Several threads may add to
    /// different places.
    void add_row(int y, int x, int width, const cv::Vec3f* light);
    /// The same where `share` is above 0.4.
    void add_row(int y, int x, int width, const cv::Vec3f* light, const float* share);

    /// Holds each value within the bounds of its 3×3 neighbourhood.
    void hold(cv::Mat3f& light, const Job& job) const;

  private:
    cv::Mat3w low_, high_;
};

}  // namespace moorhaze
