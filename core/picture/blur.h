// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <opencv2/core.hpp>
#include <vector>

#include "core/work/job.h"

namespace moorhaze {

/// A Gaussian over rows, reaching 3 sigma; borders across mirrored (edge not repeated).   Thread-safe.
class GaussianKernel {
  public:
    /// @throws BadParameter for a sigma of 0 or less or without end.
    explicit GaussianKernel(double sigma_px);
    int reach() const { return int(weights_.size()) - 1; }
    /// @param rows     2 reach + 1, of which the middle one is blurred;  @param width  in pixels.
    /// @param scratch  (width + 2 reach) pixels;  @param out  width pixels.
    void row(const float* const* rows, int width, int channels, float* scratch, float* out) const;

  private:
    std::vector<float> weights_;  ///< from the middle outwards
};

/// Gaussian blur of a CV_32F picture of any number of channels; borders mirrored (edge not repeated);
/// the kernel reaches 3 sigma. A sigma of 0 copies.
/// @throws BadParameter for a negative or not finite sigma, Cancelled.   Thread-safe; peak memory 1 output.
cv::Mat gaussian_blur(const cv::Mat& picture, double sigma_px, const Job& job);

/// A place outside 0..count-1 mirrored back in, edge not repeated; right for any distance.
int mirrored(int place, int count);

}  // namespace moorhaze
