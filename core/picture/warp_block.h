// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>

#include "core/picture/warp.h"

namespace moorhaze {

/// A picture whose rows can be had on the scale that the kernel interpolates on.
struct WarpSource {
    cv::Size size;
    int channels = 3;  ///< 3: square roots of linear light; 1: any value not below 0
    /// Writes columns left..left+width-1 of row y; columns outside repeat the edge. A pixel takes four floats
    /// (the last 0) for three channels, one for one.
    std::function<void(int y, int left, int width, float* out)> fill;
};

/// Where the places of a grid lie, and how their light is levelled.
struct WarpGrid {
    cv::Matx33d to_source;        ///< places of the grid to the source's pixels
    cv::Vec3d gains = {1, 1, 1};  ///< of three channels, in linear light
    Vignetting vignetting = {};
    cv::Matx33d to_frame = {}, to_reference = {};  ///< places of the grid; for the vignetting
    cv::Size frame;                                ///< whole
};

/// Resamples a block of the grid with a Lanczos kernel of three lobes; of three channels linear light comes
/// out. Beyond the source its edge is repeated.
/// @param out  CV_32FC1 or CV_32FC3 of the block's size.   Thread-safe.
void warp_block(const WarpSource& source, const WarpGrid& grid, cv::Rect block, cv::Mat& out);

/// The source's pixels that the kernel reaches for a block of the grid; may go beyond the source by a few.
/// Lines stay lines, so the corners bound it.
cv::Rect reach_of(const cv::Matx33d& to_source, cv::Rect block, cv::Size source);

}  // namespace moorhaze
