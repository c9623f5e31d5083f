// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/light_bounds.h"

#include <algorithm>
#include <cmath>
#include <vector>

#include "core/work/clones.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

constexpr float kScale = 32768.0f;  // room for light up to 4 times full scale
constexpr float kCounts = 0.4f;

MOORHAZE_CLONES void take_in(const float* light, ushort* low, ushort* high, int count) {
    for (int i = 0; i < count; ++i) {
        const float root = std::sqrt(std::max(light[i], 0.0f)) * kScale + 0.5f;
        const auto value = ushort(root < 65535.0f ? root : 65535.0f);
        low[i] = value < low[i] ? value : low[i];
        high[i] = value > high[i] ? value : high[i];
    }
}

/// Smallest or largest of three rows, then of three neighbours in it.
template <class Better>
MOORHAZE_CLONES void three_by_three(const ushort* const* rows, ushort* column, float* out, int width,
                                    const Better& better) {
    for (int i = 0; i < 3 * width; ++i) column[i] = better(better(rows[0][i], rows[1][i]), rows[2][i]);
    for (int i = 0; i < 3 * width; ++i) {
        const ushort before = i >= 3 ? column[i - 3] : column[i],
                     after = i + 3 < 3 * width ? column[i + 3] : column[i];
        const float root = float(better(better(before, column[i]), after)) / kScale;
        out[i] = root * root;
    }
}

MOORHAZE_CLONES void clamp_row(float* light, const float* low, const float* high, int count) {
    for (int i = 0; i < count; ++i) {
        const float held = std::min(std::max(light[i], low[i]), high[i]);
        light[i] = low[i] <= high[i] ? held : light[i];
    }
}

}  // namespace

LightBounds::LightBounds(cv::Size size) : low_(size, cv::Vec3w::all(65535)), high_(size, cv::Vec3w::all(0)) {}

void LightBounds::add_row(int y, int x, int width, const cv::Vec3f* light) {
    take_in(light->val, low_[y][x].val, high_[y][x].val, 3 * width);
}

void LightBounds::add_row(int y, int x, int width, const cv::Vec3f* light, const float* share) {
    for (int i = 0; i < width;) {
        while (i < width && !(share[i] > kCounts)) ++i;
        int run = i;
        while (run < width && share[run] > kCounts) ++run;
        if (run > i) add_row(y, x + i, run - i, light + i);
        i = run;
    }
}

void LightBounds::hold(cv::Mat3f& light, const Job& job) const {
    for_rows(light.rows, job, [&](int y) {
        std::vector<ushort> column(std::size_t(light.cols) * 3);
        std::vector<float> low(column.size()), high(column.size());
        const ushort *lows[3], *highs[3];
        for (int i = 0; i < 3; ++i) {
            const int row = std::clamp(y + i - 1, 0, light.rows - 1);
            lows[i] = low_.ptr<ushort>(row), highs[i] = high_.ptr<ushort>(row);
        }
        three_by_three(lows, column.data(), low.data(), light.cols,
                       [](ushort a, ushort b) { return a < b ? a : b; });
        three_by_three(highs, column.data(), high.data(), light.cols,
                       [](ushort a, ushort b) { return a > b ? a : b; });
        clamp_row(light.ptr<float>(y), low.data(), high.data(), 3 * light.cols);
    });
}

}  // namespace moorhaze
