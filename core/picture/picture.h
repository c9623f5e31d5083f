// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>
#include <cstdint>
#include <memory>
#include <opencv2/core.hpp>
#include <string>
#include <vector>

namespace moorhaze {

/// The bytes of an ICC profile (ICC.1). Empty means sRGB (IEC 61966-2-1).
struct ColourProfile {
    std::vector<std::uint8_t> icc;
    bool operator==(const ColourProfile&) const = default;
};

/// A picture as a file holds it: encoded values, RGB order, in the profile's own primaries.
struct Picture {
    cv::Mat pixels;         ///< H×W, CV_8UC3 or CV_16UC3, full range
    cv::Mat alpha;          ///< H×W, same depth, one channel, unassociated; empty means opaque
    ColourProfile profile;  ///< of `pixels`

    int width() const { return pixels.cols; }
    int height() const { return pixels.rows; }
    int bits() const { return pixels.depth() == CV_16U ? 16 : 8; }
};

/// Whole-pixel rectangle in some picture's coordinates; the right and bottom edges are outside.
using PixelRect = cv::Rect;

}  // namespace moorhaze
