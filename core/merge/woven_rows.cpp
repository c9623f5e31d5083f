// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/woven_rows.h"

#include <cmath>

#include "core/work/clones.h"

// `ivdep` tells the compiler of rows that it cannot know to be apart.

namespace moorhaze {

WovenSums::WovenSums(cv::Size size, cv::Size block)
    : planes_(size, block, [](int plane) { return plane == 5 ? -1.0f : 0.0f; }) {}

WovenSums::Row WovenSums::row(cv::Point at) {
    const auto of = [&](int plane) { return planes_.row(plane, at); };
    return {{of(0), of(1), of(2)}, of(3), of(4), of(5)};
}

MOORHAZE_CLONES void weigh_row(const float* nearest, const float* farthest, const float* energy, float place,
                               float slack, float grain, float* share, float* weight, int width) {
#pragma GCC ivdep
    for (int x = 0; x < width; ++x) {
        const float before = nearest[x] - place, after = place - farthest[x];
        float off = before > after ? before : after;
        off = off > 0 ? off : 0;
        float part = slack - off;
        part = part < 0 ? 0 : part > 1 ? 1 : part;
        const float strength = energy[x] + grain;
        share[x] = part;
        weight[x] = part * strength * strength * strength;
    }
}

MOORHAZE_CLONES void add_fallback_weight(const float* energy, float little, float grain, float* weight,
                                         int width) {
#pragma GCC ivdep
    for (int x = 0; x < width; ++x) {
        const float strength = energy[x] + grain;
        weight[x] += little * strength * strength * strength;
    }
}

MOORHAZE_CLONES void part_detail_row(const float* light, const float* ground, float* const* colours,
                                     int width) {
    float *const red = colours[0], *const green = colours[1], *const blue = colours[2];
#pragma GCC ivdep
    for (int x = 0; x < width; ++x) {
        red[x] = light[3 * x] - ground[3 * x];
        green[x] = light[3 * x + 1] - ground[3 * x + 1];
        blue[x] = light[3 * x + 2] - ground[3 * x + 2];
    }
}

MOORHAZE_CLONES void add_row(const FrameRow& frame, float grain, const WovenSums::Row& sums, int width) {
    const float *const red = frame.detail[0], *const green = frame.detail[1], *const blue = frame.detail[2],
                       *const weights = frame.weight, *const energy = frame.energy;
    float *const sum_of_red = sums.detail[0], *const sum_of_green = sums.detail[1],
                 *const sum_of_blue = sums.detail[2], *const total = sums.weight, *const root = sums.root;
#pragma GCC ivdep
    for (int x = 0; x < width; ++x) {
        const float weight = weights[x];
        sum_of_red[x] += weight * red[x];
        sum_of_green[x] += weight * green[x];
        sum_of_blue[x] += weight * blue[x];
        total[x] += weight;
        root[x] += weight * std::sqrt(energy[x] + grain);
    }
}

MOORHAZE_CLONES void keep_strongest_row(const FrameRow& frame, float little, ushort number, float* strongest,
                                        ushort* source, int width) {
    const float *const weight = frame.weight, *const share = frame.share, *const energy = frame.energy;
#pragma GCC ivdep
    for (int x = 0; x < width; ++x) {
        const float own = weight[x] > 0 ? (share[x] + little) * energy[x] : -1;
        const bool more = own > strongest[x];
        strongest[x] = more ? own : strongest[x];
        source[x] = more ? number : source[x];
    }
}

MOORHAZE_CLONES void restore_contrast_row(const WovenSums::Row& sums, float grain, float* light, int width) {
    const float *const red = sums.detail[0], *const green = sums.detail[1], *const blue = sums.detail[2],
                       *const weight = sums.weight, *const root = sums.root,
                       *const strongest = sums.strongest;
#pragma GCC ivdep
    for (int x = 0; x < width; ++x) {
        const float strong = strongest[x] > 0 ? strongest[x] : 0;
        float kept = root[x] / (weight[x] * std::sqrt(strong + grain));
        kept = kept < 1 ? kept : 1;
        const float root_of_kept = std::sqrt(kept);
        const float lost = kept * root_of_kept * std::sqrt(root_of_kept);
        const float scale = weight[x] > 0 ? 1 / (weight[x] * lost) : 0;
        light[3 * x] += red[x] * scale;
        light[3 * x + 1] += green[x] * scale;
        light[3 * x + 2] += blue[x] * scale;
    }
}

MOORHAZE_CLONES void add_plain_row(const float* light, const float* depth, const float* share, float place,
                                   float* sum, float* total, int width) {
#pragma GCC ivdep
    for (int x = 0; x < width; ++x) {
        float near = 1 - std::abs(depth[x] - place);
        near = near > 0 && share[x] > 0 ? near : 0;
        sum[3 * x] += near * light[3 * x];
        sum[3 * x + 1] += near * light[3 * x + 1];
        sum[3 * x + 2] += near * light[3 * x + 2];
        total[x] += near;
    }
}

MOORHAZE_CLONES void replace_by_plain_row(const float* sum, const float* total, const float* meeting,
                                          float* light, int width) {
    for (int x = 0; x < width; ++x) {
        const float held = meeting[x] < 0 ? 0 : meeting[x] > 1 ? 1 : meeting[x];
        const float share = total[x] > 0 ? 1 - held : 0, scale = total[x] > 0 ? share / total[x] : 0;
        for (int c = 3 * x; c < 3 * x + 3; ++c) light[c] = (1 - share) * light[c] + scale * sum[c];
    }
}

}  // namespace moorhaze
