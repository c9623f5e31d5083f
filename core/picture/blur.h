// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <opencv2/core.hpp>

#include "core/work/job.h"

namespace moorhaze {

/// Gaussian blur of a CV_32F picture of any number of channels; borders mirrored (edge not repeated);
/// the kernel reaches 3 sigma. A sigma of 0 copies.
/// @throws BadParameter for a negative or not finite sigma, Cancelled.   Thread-safe; peak memory 1 output.
cv::Mat gaussian_blur(const cv::Mat& picture, double sigma_px, const Job& job);

/// A place outside 0..count-1 mirrored back in, edge not repeated; right for any distance.
int mirrored(int place, int count);

}  // namespace moorhaze
