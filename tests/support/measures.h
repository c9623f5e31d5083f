// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/picture/picture.h"

namespace moorhaze::test {

/// Luma 0..1 of encoded values (ITU-R BT.709 weights).
cv::Mat1f luma_of(const Picture& picture);

/// Peak signal-to-noise ratio in decibels for values 0..1; optionally only where `mask` is not 0.
double psnr_db(const cv::Mat1f& one, const cv::Mat1f& other, const cv::Mat1b& mask = {});

/// Mean structural similarity with a Gaussian window of 1.5 px, constants 0.01 and 0.03.
/// Source: Wang, Bovik, Sheikh, Simoncelli, "Image Quality Assessment", IEEE Trans. Image Processing 13(4),
/// 2004.
double ssim(const cv::Mat1f& one, const cv::Mat1f& other);

/// A colour in CIE 1976 L*a*b*.
struct Lab {
    double l, a, b;
};

/// CIEDE2000 colour difference with all weights 1, by Little CMS. Source: Sharma, Wu, Dalal, "The CIEDE2000
/// Color-Difference Formula: Implementation Notes", Color Research & Application 30(1), 2005.
double ciede2000(const Lab& one, const Lab& other);

/// CIEDE2000 of each place of two pictures in sRGB.
/// @param mask  empty, or of their size: where it is 0 nothing is computed, and the difference is 0.
cv::Mat1f colour_differences(const Picture& one, const Picture& other, const cv::Mat1b& mask = {});

}  // namespace moorhaze::test
