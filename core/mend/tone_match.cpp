// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mend/tone_match.h"

#include <algorithm>

#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

/// Averages of what is known, over ever larger surroundings.
struct Level {
    cv::Mat3f sum;  ///< weighted
    cv::Mat1f weight;
};

Level halved(const Level& fine) {
    const cv::Size size((fine.weight.cols + 1) / 2, (fine.weight.rows + 1) / 2);
    Level half{cv::Mat3f(size, cv::Vec3f(0, 0, 0)), cv::Mat1f(size, 0.0f)};
    // 1 3 3 1 both ways: places of the half size lie in the middle of four.
    constexpr float kTaps[4] = {0.125f, 0.375f, 0.375f, 0.125f};
    for (int y = 0; y < size.height; ++y)
        for (int x = 0; x < size.width; ++x)
            for (int j = 0; j < 4; ++j)
                for (int i = 0; i < 4; ++i) {
                    const int row = 2 * y - 1 + j, column = 2 * x - 1 + i;
                    if (row < 0 || column < 0 || row >= fine.weight.rows || column >= fine.weight.cols)
                        continue;
                    const float tap = kTaps[i] * kTaps[j];
                    half.sum(y, x) += tap * fine.sum(row, column);
                    half.weight(y, x) += tap * fine.weight(row, column);
                }
    return half;
}

/// What a place of the finer size reads in the coarser one, which is known everywhere.
cv::Vec3f read(const cv::Mat3f& coarse, int x, int y) {
    const float at_x = std::clamp((float(x) - 0.5f) / 2, 0.0f, float(coarse.cols - 1)),
                at_y = std::clamp((float(y) - 0.5f) / 2, 0.0f, float(coarse.rows - 1));
    const int left = int(at_x), top = int(at_y);
    const int right = std::min(left + 1, coarse.cols - 1), bottom = std::min(top + 1, coarse.rows - 1);
    const float u = at_x - float(left), v = at_y - float(top);
    return (1 - v) * ((1 - u) * coarse(top, left) + u * coarse(top, right)) +
           v * ((1 - u) * coarse(bottom, left) + u * coarse(bottom, right));
}

}  // namespace

cv::Mat3f tone_matched(const cv::Mat3f& source, const std::vector<RowSpan>& covered, const cv::Mat3f& picture,
                       const cv::Mat1f& mask, const Job& job) {
    Level finest{cv::Mat3f(source.size(), cv::Vec3f(0, 0, 0)), cv::Mat1f(source.size(), 0.0f)};
    for_rows(source.rows, job, [&](int y) {
        const RowSpan span = covered.empty() ? RowSpan{0, source.cols} : covered[std::size_t(y)];
        for (int x = span.begin; x < span.end; ++x)
            if (mask(y, x) <= 0) {
                finest.sum(y, x) = picture(y, x) - source(y, x);
                finest.weight(y, x) = 1;
            }
    });
    if (cv::countNonZero(finest.weight) == 0) return source;
    std::vector<Level> levels{finest};
    while (levels.back().weight.total() > 1) levels.push_back(halved(levels.back()));
    cv::Mat3f around;
    for (auto level = levels.rbegin(); level != levels.rend(); ++level) {
        cv::Mat3f own(level->weight.size());
        for_rows(own.rows, job, [&](int y) {
            for (int x = 0; x < own.cols; ++x) {
                // Half known is known: what is left over comes from farther away.
                const float weight = level->weight(y, x), known = std::min(1.0f, 2 * weight);
                const cv::Vec3f mean = weight > 0 ? level->sum(y, x) * (1 / weight) : cv::Vec3f(0, 0, 0);
                own(y, x) = around.empty() ? mean : known * mean + (1 - known) * read(around, x, y);
            }
        });
        around = own;
    }
    cv::Mat3f matched = source.clone();
    for_rows(source.rows, job, [&](int y) {
        for (int x = 0; x < source.cols; ++x)
            if (mask(y, x) > 0)
                for (int c = 0; c < 3; ++c)
                    matched(y, x)[c] = std::max(0.0f, source(y, x)[c] + around(y, x)[c]);
    });
    return matched;
}

}  // namespace moorhaze
