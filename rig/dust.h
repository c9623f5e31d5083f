// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <opencv2/core.hpp>
#include <vector>

#include "rig/scene.h"

namespace moorhaze::rig {

/// A speck on the filter in front of the sensor: its shadow lies at the same place in every frame.
struct DustSpeck {
    double x_px = 0, y_px = 0;  ///< middle of its shadow, in the frame
    double radius_px = 8;       ///< where the shadow has half its depth, about
    double depth = 0.1;         ///< share of the light that is missing in the middle, 0..1
    /// Part of the radius over which the shadow fades: the round pupil of the lens as the speck sees it.
    double softness = 0.5;
    std::uint32_t seed = 0;  ///< of its outline, which is not quite round
    bool operator==(const DustSpeck&) const = default;
};

/// Specks anywhere in the frame, none on top of another; radius 4 to 15 px, depth 3 to 25 %.
std::vector<DustSpeck> settled_dust(int count, cv::Size frame, std::uint32_t seed);

/// @param linear  linear light of a frame; changed in place.
void shade_by(const std::vector<DustSpeck>& dust, cv::Mat3f& linear);

}  // namespace moorhaze::rig
