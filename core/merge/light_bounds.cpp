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

/// @tparam Step  from place to place in `light`.
template <int Step>
MOORHAZE_CLONES void take_in(const float* light, ushort* low, ushort* high, int width) {
#pragma GCC ivdep
    for (int i = 0; i < width; ++i) {
        const float own = light[Step * i], root = std::sqrt(own > 0 ? own : 0) * kScale + 0.5f;
        const auto value = ushort(int(root < 65535.0f ? root : 65535.0f));
        low[i] = value < low[i] ? value : low[i];
        high[i] = value > high[i] ? value : high[i];
    }
}

template <int Step>
MOORHAZE_CLONES void take_in_shared(const float* light, const float* share, ushort* low, ushort* high,
                                    int width) {
#pragma GCC ivdep
    for (int i = 0; i < width; ++i) {
        const float own = light[Step * i], root = std::sqrt(own > 0 ? own : 0) * kScale + 0.5f;
        const int value = int(root < 65535.0f ? root : 65535.0f);
        const auto for_low = ushort(share[i] > kCounts ? value : 65535),
                   for_high = ushort(share[i] > kCounts ? value : 0);
        low[i] = for_low < low[i] ? for_low : low[i];
        high[i] = for_high > high[i] ? for_high : high[i];
    }
}

/// Smallest or largest of three rows, then of three neighbours in it.
template <class Better>
MOORHAZE_CLONES void three_by_three(const ushort* const* rows, ushort* column, float* out, int width,
                                    const Better& better) {
    const ushort *const above = rows[0], *const own = rows[1], *const below = rows[2];
    const auto light_of = [](ushort value) {
        const float root = float(value) / kScale;
        return root * root;
    };
#pragma GCC ivdep
    for (int x = 0; x < width; ++x) column[x] = better(better(above[x], own[x]), below[x]);
    out[0] = light_of(width > 1 ? better(column[0], column[1]) : column[0]);
#pragma GCC ivdep
    for (int x = 1; x < width - 1; ++x)
        out[x] = light_of(better(better(column[x - 1], column[x]), column[x + 1]));
    if (width > 1) out[width - 1] = light_of(better(column[width - 2], column[width - 1]));
}

/// @param light  of one of three colours.
MOORHAZE_CLONES void clamp_row(float* light, const float* low, const float* high, int width) {
#pragma GCC ivdep
    for (int x = 0; x < width; ++x) {
        const float own = light[3 * x], raised = own > low[x] ? own : low[x],
                    held = raised < high[x] ? raised : high[x];
        light[3 * x] = low[x] <= high[x] ? held : own;
    }
}

}  // namespace

LightBounds::LightBounds(cv::Size size, cv::Size block)
    : planes_(size, block, [](int plane) { return ushort(plane < 3 ? 65535 : 0); }) {}

LightBounds::Bounds LightBounds::row(std::size_t colour, cv::Point at) {
    return {planes_.row(int(colour), at), planes_.row(int(colour) + 3, at)};
}

void LightBounds::add_row(int y, int width, const cv::Vec3f* light) {
    for (std::size_t c = 0; c < 3; ++c) {
        const Bounds own = row(c, {0, y});
        take_in<3>(light->val + c, own.low, own.high, width);
    }
}

void LightBounds::add_row(int y, int width, const cv::Vec3f* light, const float* share) {
    for (std::size_t c = 0; c < 3; ++c) {
        const Bounds own = row(c, {0, y});
        take_in_shared<3>(light->val + c, share, own.low, own.high, width);
    }
}

void LightBounds::add_row(cv::Point from, int width, const float* const* light) {
    for (std::size_t c = 0; c < 3; ++c) {
        const Bounds own = row(c, from);
        take_in<1>(light[c], own.low, own.high, width);
    }
}

void LightBounds::add_row(cv::Point from, int width, const float* const* light, const float* share) {
    for (std::size_t c = 0; c < 3; ++c) {
        const Bounds own = row(c, from);
        take_in_shared<1>(light[c], share, own.low, own.high, width);
    }
}

void LightBounds::hold(cv::Mat3f& light, const Job& job) {
    const int across = planes_.block().width;
    for_rows(light.rows, job, [&](int y) {
        const auto width = std::size_t(light.cols);
        std::vector<ushort> rows(6 * width), column(width);
        std::vector<float> low(width), high(width);
        for (std::size_t c = 0; c < 3; ++c) {
            const ushort *lows[3], *highs[3];
            for (std::size_t i = 0; i < 3; ++i) {
                ushort *const own_low = rows.data() + i * width, *const own_high = own_low + 3 * width;
                const int row_there = std::clamp(y + int(i) - 1, 0, light.rows - 1);
                for (int x = 0; x < light.cols; x += across) {
                    const Bounds own = row(c, {x, row_there});
                    const int count = std::min(across, light.cols - x);
                    std::copy_n(own.low, count, own_low + x);
                    std::copy_n(own.high, count, own_high + x);
                }
                lows[i] = own_low, highs[i] = own_high;
            }
            three_by_three(lows, column.data(), low.data(), light.cols,
                           [](ushort a, ushort b) { return a < b ? a : b; });
            three_by_three(highs, column.data(), high.data(), light.cols,
                           [](ushort a, ushort b) { return a > b ? a : b; });
            clamp_row(light.ptr<float>(y) + c, low.data(), high.data(), light.cols);
        }
    });
}

}  // namespace moorhaze
