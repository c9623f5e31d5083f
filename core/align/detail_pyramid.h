// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <opencv2/core.hpp>
#include <vector>

#include "core/work/job.h"

namespace moorhaze {

/// A frame as registration sees it: at each size, its detail brought to even strength, so that the same thing
/// in and slightly out of focus looks alike, whatever its contrast and exposure.
struct DetailPyramid {
    struct Level {
        cv::Mat1f detail;    ///< band-passed luma divided by its local strength, about -2..2
        cv::Mat1f strength;  ///< local root mean square of the band-passed luma
        float noise = 0;     ///< the strength below which there is only noise
    };
    std::vector<Level> levels;  ///< finest first, each half the one before
    double scale = 1;           ///< frame pixels per pixel of the finest level
};

/// @param luma   H×W perceptual luma, perhaps reduced.
/// @param scale  frame pixels per luma pixel.
DetailPyramid detail_pyramid(const cv::Mat1f& luma, double scale, const Job& job);

}  // namespace moorhaze
