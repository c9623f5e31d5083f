// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <opencv2/core.hpp>
#include <vector>

#include "core/merge/coverage.h"
#include "core/work/job.h"

namespace moorhaze {

/// Square of the detail that a picture loses when it is downsampled by 2, gathered with a Gaussian. In
/// strips: nothing but the result is ever whole.
/// @param picture  H×W;  @param coarse  pyramid_down of it.   @return H×W.
/// @throws BadParameter for a sigma of 0 or less, Cancelled.   Thread-safe.
cv::Mat1f band_energy(const cv::Mat1f& picture, const cv::Mat1f& coarse, double sigma_px, const Job& job);

/// Squares of one - other.   @param squares  may be one of them.   Thread-safe.
void square_difference_row(const float* one, const float* other, float* squares, int width);

/// Rows that are made one by one, gathered with a Gaussian and handed on: nothing is ever whole. In strips,
/// so that rows near their ends are made more than once; borders mirrored.
/// @param make  writes row y.   @param take  gets the gathered row y, each once. Both from any thread.
/// @throws BadParameter for a sigma of 0 or less, Cancelled.
void gather_rows(cv::Size size, double sigma_px, const std::function<void(int y, float* row)>& make,
                 const std::function<void(int y, const float* gathered)>& take, const Job& job);

/// The energy that `share` (0..1) of the covered places stay below: in a frame of a focus series most places
/// are out of focus, so that a small share of them holds nothing but noise. 0 when none is covered.
/// @param level  how often the plane was downsampled by 2 from what `coverage` counts in.
float quiet_energy(const cv::Mat1f& energy, double share, const Coverage& coverage = {}, int level = 0);
/// The same of values that were picked already; they change their order.
float quiet_energy(std::vector<float>& values, double share);

}  // namespace moorhaze
