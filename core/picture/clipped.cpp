// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/picture/clipped.h"

#include <algorithm>

#include "core/work/clones.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

constexpr int kStrip = 32;     // rows of the half
constexpr int kLookedAt = 96;  // values looked at together

template <class Value>
MOORHAZE_CLONES void smaller_of(const Value* one, const Value* other, Value* out, int count) {
    for (int i = 0; i < count; ++i) out[i] = one[i] < other[i] ? one[i] : other[i];
}

template <class Value>
MOORHAZE_CLONES Value largest(const Value* values, int count) {
    Value most = 0;
    for (int i = 0; i < count; ++i) most = values[i] > most ? values[i] : most;
    return most;
}

template <class Value>
void add_row(const cv::Mat& pixels, int y, Value full, std::vector<Value>& row,
             std::vector<ClippedRun>& runs) {
    const int count = 3 * pixels.cols;
    row.resize(std::size_t(count));
    smaller_of(pixels.ptr<Value>(2 * y), pixels.ptr<Value>(std::min(2 * y + 1, pixels.rows - 1)), row.data(),
               count);
    const auto is_clipped = [&](int x) {
        const Value* const one = row.data() + 6 * x;
        const Value* const other = 6 * x + 3 < count ? one + 3 : one;
        return (one[0] >= full && other[0] >= full) || (one[1] >= full && other[1] >= full) ||
               (one[2] >= full && other[2] >= full);
    };
    const int half = (pixels.cols + 1) / 2;
    int open = -1;
    for (int x = 0; x < half;) {
        const int from = 6 * x, together = std::min(kLookedAt, count - from);
        if (open < 0 && largest(row.data() + from, together) < full) {
            x += kLookedAt / 6;
            continue;
        }
        const bool clipped = is_clipped(x);
        if (clipped && open < 0) open = x;
        if (!clipped && open >= 0) {
            runs.push_back({y, open, x});
            open = -1;
        }
        ++x;
    }
    if (open >= 0) runs.push_back({y, open, half});
}

}  // namespace

std::vector<ClippedRun> clipped_runs(const Picture& picture, double level, const Job& job) {
    const int rows = (picture.pixels.rows + 1) / 2, strips = (rows + kStrip - 1) / kStrip;
    std::vector<std::vector<ClippedRun>> of_strips(static_cast<std::size_t>(strips));
    for_rows(strips, job, [&](int strip) {
        std::vector<ClippedRun>& runs = of_strips[std::size_t(strip)];
        std::vector<std::uint8_t> row_8;
        std::vector<std::uint16_t> row_16;
        for (int y = strip * kStrip; y < std::min(rows, (strip + 1) * kStrip); ++y)
            if (picture.bits() == 16)
                add_row<std::uint16_t>(picture.pixels, y, std::uint16_t(level * 65535), row_16, runs);
            else
                add_row<std::uint8_t>(picture.pixels, y, std::uint8_t(level * 255 + 0.5), row_8, runs);
    });
    std::vector<ClippedRun> all;
    for (const auto& runs : of_strips) all.insert(all.end(), runs.begin(), runs.end());
    return all;
}

}  // namespace moorhaze
