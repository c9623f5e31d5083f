// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <opencv2/core.hpp>
#include <vector>

#include "core/work/job.h"

namespace moorhaze {

/// Half the size, (n+1)/2 a side, after the binomial filter 1 4 6 4 1; borders mirrored (edge not repeated).
/// CV_32F, any number of channels.   Thread-safe; peak memory 1 output.
/// Source: Burt & Adelson, "The Laplacian Pyramid as a Compact Image Code", IEEE Trans. Comm. 31(4), 1983.
cv::Mat pyramid_down(const cv::Mat& picture, const Job& job);

/// A plane of one channel that lies anywhere.
struct PlaneRows {
    const float* first;
    std::ptrdiff_t step;  ///< from row to row, floats
    int width, height;
    const float* row(int y) const { return first + y * step; }
};
/// Row y of pyramid_down of a plane.   @param out  (width+1)/2 long;  @param scratch  as long as a row.
void pyramid_down_row(const PlaneRows& plane, int y, float* out, float* scratch);
/// Row y of pyramid_up of a plane to `width`.   @param out  that long;  @param scratch  as long as a row.
void pyramid_up_row(const PlaneRows& plane, int y, int width, float* out, float* scratch);

/// pyramid_up row by row, for steps that need no whole upsampled picture. Refers to the picture. Thread-safe.
class UpsampledRows {
  public:
    /// @param size  whose halves (rounded up) are the picture's sides.
    UpsampledRows(const cv::Mat& picture, cv::Size size);
    /// @param out  a row of `size`;  @param scratch  as long as a row of the picture. Values, all channels.
    void row(int y, float* out, float* scratch) const;
    /// The same with its own scratch.   @param out  made as long as is needed.   @return  its values.
    const float* row(int y, std::vector<float>& out) const;

  private:
    const cv::Mat& picture_;
    cv::Size size_;
};

/// How often a picture can be downsampled by 2 before its shorter side is less than `least_side`; at least 1.
int pyramid_levels(cv::Size size, int least_side);

/// Back to `size`, whose halves (rounded up) are the picture's sides, with the same filter.
cv::Mat pyramid_up(const cv::Mat& picture, cv::Size size, const Job& job);

}  // namespace moorhaze
