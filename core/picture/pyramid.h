#pragma once
#include <opencv2/core.hpp>
#include <vector>

#include "core/work/job.h"

namespace moorhaze {

/// Half the size, (n+1)/2 a side, after the binomial filter 1 4 6 4 1; borders mirrored (edge not repeated).
/// CV_32F, any number of channels.   Thread-safe; peak memory 1 output.
/// Source: Burt & Adelson, "The Laplacian Pyramid as a Compact Image Code", IEEE Trans. Comm. 31(4), 1983.
cv::Mat pyramid_down(const cv::Mat& picture, const Job& job);

/// How often a picture can be halved before its shorter side is less than `least_side`; at least 1.
int pyramid_levels(cv::Size size, int least_side);

/// picture - pyramid_up(coarse): the detail that halving it to `coarse` lost.
cv::Mat pyramid_detail(const cv::Mat& picture, const cv::Mat& coarse, const Job& job);

/// The detail of each size, full size first, and what is left.
struct LaplacianBands {
    std::vector<cv::Mat> detail;
    cv::Mat rest;
};
LaplacianBands laplacian_bands(const cv::Mat& picture, int levels, const Job& job);

/// Back to `size`, whose halves (rounded up) are the picture's sides, with the same filter.
cv::Mat pyramid_up(const cv::Mat& picture, cv::Size size, const Job& job);

}  // namespace moorhaze
