#pragma once
#include <cmath>
#include <opencv2/core.hpp>

namespace moorhaze {

/// Interpolation through four points a side, for places at least 1 pixel and at most 2 from the border
/// inwards. Source: Keys, "Cubic convolution interpolation for digital image processing", IEEE Trans. ASSP
/// 29(6), 1981.
inline float cubic_at(const cv::Mat1f& picture, double x, double y) {
    const int whole_x = int(std::floor(x)), whole_y = int(std::floor(y));
    auto weights = [](float t, float* w) {
        const float t2 = t * t, t3 = t2 * t;
        w[0] = 0.5f * (-t3 + 2 * t2 - t);
        w[1] = 0.5f * (3 * t3 - 5 * t2 + 2);
        w[2] = 0.5f * (-3 * t3 + 4 * t2 + t);
        w[3] = 0.5f * (t3 - t2);
    };
    float across[4], down[4];
    weights(float(x - whole_x), across);
    weights(float(y - whole_y), down);
    float sum = 0;
    for (int row = 0; row < 4; ++row) {
        const float* line = picture[whole_y - 1 + row] + whole_x - 1;
        sum += down[row] *
               (line[0] * across[0] + line[1] * across[1] + line[2] * across[2] + line[3] * across[3]);
    }
    return sum;
}

}  // namespace moorhaze
