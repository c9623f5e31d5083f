// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <algorithm>
#include <cmath>
#include <opencv2/core.hpp>

/// Interpolation through four points a side. Source: Keys, "Cubic convolution interpolation for digital image
/// processing", IEEE Trans. ASSP 29(6), 1981, with a = -1/2.
namespace moorhaze {

/// Weights of the points before, at, behind and two behind a place.
/// @param t  of the way from the second to the third, 0..1.
inline void cubic_weights(float t, float* weights) {
    const float t2 = t * t, t3 = t2 * t;
    weights[0] = 0.5f * (-t3 + 2 * t2 - t);
    weights[1] = 0.5f * (3 * t3 - 5 * t2 + 2);
    weights[2] = 0.5f * (-3 * t3 + 4 * t2 + t);
    weights[3] = 0.5f * (t3 - t2);
}

/// Anywhere; beyond the border its pixels are repeated.
/// @param left, top      the pixel before the place;  @param across, down  cubic_weights() of the rest.
inline float cubic_between(const cv::Mat1f& picture, int left, int top, const float* across,
                           const float* down) {
    float sum = 0;
    if (left >= 1 && top >= 1 && left + 2 < picture.cols && top + 2 < picture.rows) {
        for (int row = 0; row < 4; ++row) {
            const float* line = picture[top - 1 + row] + left - 1;
            sum += down[row] *
                   (line[0] * across[0] + line[1] * across[1] + line[2] * across[2] + line[3] * across[3]);
        }
        return sum;
    }
    for (int row = 0; row < 4; ++row)
        for (int column = 0; column < 4; ++column)
            sum += down[row] * across[column] *
                   picture(std::clamp(top - 1 + row, 0, picture.rows - 1),
                           std::clamp(left - 1 + column, 0, picture.cols - 1));
    return sum;
}

inline float cubic_at(const cv::Mat1f& picture, double x, double y) {
    const int left = int(std::floor(x)), top = int(std::floor(y));
    float across[4], down[4];
    cubic_weights(float(x - left), across);
    cubic_weights(float(y - top), down);
    return cubic_between(picture, left, top, across, down);
}

}  // namespace moorhaze
