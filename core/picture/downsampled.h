// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/picture/tone_curve.h"
#include "core/work/job.h"

namespace moorhaze {

// Pictures at half and at a quarter of their size, (n+1)/2 a side each time, by the binomial filter 1 3 3 1
// across and down: pixel i of a half stands at 2i + 0.5 of the picture, pixel i of a quarter at 4i + 1.5.
// Borders repeat the edge.

/// Linear light at a quarter of the size. The first step is of the encoded values, which differs from
/// light only where these change much from pixel to pixel; the second is of light.
/// @return  CV_32FC3.   Thread-safe; peak memory 1 output.
cv::Mat3f light_downsampled_by_4(const Picture& picture, const ToneCurve& curve, const Job& job);

/// Luma on a square-root scale (see luma.h) at half the size, and the energy of what only full size shows.
struct DownsampledLuma {
    cv::Mat1f luma;
    cv::Mat1f fine_energy;  ///< mean over 2×2 of the squared difference from the half
};
/// @param gains  factors of linear light, > 0.   Thread-safe; peak memory 1 output.
DownsampledLuma luma_downsampled_by_2(const Picture& picture, const ToneCurve& curve, const cv::Vec3d& gains,
                                      const Job& job);

}  // namespace moorhaze
