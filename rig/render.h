// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "rig/camera.h"

namespace moorhaze::rig {

struct RayBudget {
    int fewest = 6;            ///< rays of every pixel
    int most = 256;            ///< where they disagree
    float tolerance = 0.008f;  ///< standard error of the square root of luminance at which a pixel is done
};

/// One exposure through the whole lens, linear light. Deterministic by seed for any number of threads.
/// Pixel and lens places follow the R-sequence of Roberts (2018), turned anew for each pixel.   @throws
/// Cancelled.
cv::Mat3f render_photograph(const PreparedScene& scene, const Camera& camera, const RayBudget& budget,
                            std::uint32_t seed, const Job& job);

/// All sharp: the same through the lens centre only. `depth_mm` receives the distance along the camera's axis
/// of what the pixel's centre sees; places that see the backdrop get infinity.
cv::Mat3f render_all_sharp(const PreparedScene& scene, const Camera& camera, int rays_per_pixel,
                           cv::Mat1f& depth_mm, const Job& job);

}  // namespace moorhaze::rig
