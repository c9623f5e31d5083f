// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <opencv2/core.hpp>
#include <vector>

#include "core/work/job.h"

namespace moorhaze {

/// Which run of frames may supply each place, so that a part that moved between two frames is shown in one
/// state only.
struct MovedParts {
    cv::Mat1w first, last;  ///< places in the stack from 0; a whole run where nothing moved
    int parts = 0;          ///< how many parts moved
    bool any() const { return parts > 0; }
};

/// Defocus changes the light of a place smoothly from frame to frame, a movement at once: places whose step
/// stands far out of the steps around it are seeds, grown over where the same step is still seen. Of each
/// part the run of frames between its steps is kept that shows most of it sharp.
/// @param light      a small picture of each frame in order, perceptual luma, warped onto each other, all of
/// one
///                   size.
/// @param sharpness  ≥ 0, of the same places.
/// @param noise      what noise alone makes the light of a small pixel differ by, root mean square.
/// @throws Cancelled.   Thread-safe.
MovedParts find_moved_parts(const std::vector<cv::Mat1f>& light, const std::vector<cv::Mat1f>& sharpness,
                            float noise, const Job& job);

}  // namespace moorhaze
