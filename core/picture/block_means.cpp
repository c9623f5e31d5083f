// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/picture/block_means.h"

#include <algorithm>
#include <vector>

#include "core/work/for_rows.h"

namespace moorhaze {

cv::Mat3f block_means(const Picture& picture, const ToneCurve& curve, int side, const Job& job) {
    cv::Mat3f means((picture.height() + side - 1) / side, (picture.width() + side - 1) / side);
    for_rows(means.rows, job, [&](int row) {
        std::vector<cv::Vec3f> sums(std::size_t(means.cols), cv::Vec3f());
        const int end = std::min(picture.height(), (row + 1) * side);
        for (int y = row * side; y < end; ++y) {
            const auto* from = picture.pixels.ptr<std::uint16_t>(y);
            for (int x = 0; x < picture.width(); ++x)
                for (int c = 0; c < 3; ++c)
                    sums[std::size_t(x / side)][c] += curve.linear_of_16(c)[from[3 * x + c]];
        }
        for (int x = 0; x < means.cols; ++x) {
            const int wide = std::min(picture.width(), (x + 1) * side) - x * side;
            means(row, x) = sums[std::size_t(x)] * (1.0f / float(wide * (end - row * side)));
        }
    });
    return means;
}

}  // namespace moorhaze
