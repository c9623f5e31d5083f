// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/sharpness_peaks.h"

#include <algorithm>
#include <cfloat>
#include <cmath>

#include "core/work/clones.h"
#include "core/work/for_rows.h"

namespace moorhaze {

namespace {

struct Row {
    float *best, *left, *right, *previous, *sum, *least;
    ushort* place;
};

/// Takes in a row of the frame `here`.
MOORHAZE_CLONES void add_row(const float* value, const Row& row, ushort here, RowSpan span) {
    float *const best = row.best, *const left = row.left, *const right = row.right,
                 *const previous = row.previous, *const sum = row.sum, *const least = row.least;
    ushort* const place = row.place;
    const auto before = ushort(here - 1);  // the first frame follows none
#pragma GCC ivdep
    for (int x = span.begin; x < span.end; ++x) {
        const float own = value[x], after = place[x] == before ? own : right[x];
        const bool more = own > best[x];
        best[x] = more ? own : best[x];
        left[x] = more ? previous[x] : left[x];
        right[x] = more ? 0 : after;
        place[x] = more ? here : place[x];
        previous[x] = own;
        sum[x] += own;
        least[x] = own < least[x] ? own : least[x];
    }
}

}  // namespace

SharpnessPeaks::SharpnessPeaks(cv::Size size)
    : best_(size, 0.0f),
      left_(size, 0.0f),
      right_(size, 0.0f),
      previous_(size, 0.0f),
      sum_(size, 0.0f),
      least_(size, FLT_MAX),
      place_(size, ushort(0)) {}

void SharpnessPeaks::add(const cv::Mat1f& sharpness, const Coverage& coverage, int level, const Job& job) {
    const auto here = ushort(count_);
    if (!coverage.is_all() && frames_.empty()) frames_ = cv::Mat1w(best_.size(), here);
    for_rows(best_.rows, job, [&](int y) {
        const float* value = sharpness[y];
        float *best = best_[y], *left = left_[y], *right = right_[y], *previous = previous_[y],
              *sum = sum_[y], *least = least_[y];
        ushort* place = place_[y];
        const RowSpan covered = coverage.row(y, level, best_.cols);
        std::fill(previous, previous + covered.begin, 0.0f);
        std::fill(previous + std::max(covered.begin, covered.end), previous + best_.cols, 0.0f);
        add_row(value, Row{best, left, right, previous, sum, least, place}, here, covered);
        if (!frames_.empty())
            for (int x = covered.begin; x < covered.end; ++x) ++frames_(y, x);
    });
    ++count_;
}

cv::Mat1f SharpnessPeaks::depth(const Job& job) const {
    cv::Mat1f depth(best_.size());
    for_rows(depth.rows, job, [&](int y) {
        for (int x = 0; x < depth.cols; ++x) {
            float offset = 0;
            const float left = left_(y, x), here = best_(y, x), right = right_(y, x);
            if (place_(y, x) > 0 && place_(y, x) + 1 < count_ && left > 0 && right > 0) {
                const float a = std::log(left), b = std::log(here), c = std::log(right);
                const float bend = a - 2 * b + c;
                if (bend < -1e-6f) offset = std::clamp(0.5f * (a - c) / bend, -0.5f, 0.5f);
            }
            depth(y, x) = float(place_(y, x)) + offset;
        }
    });
    return depth;
}

cv::Mat1f SharpnessPeaks::trust(const Job& job, float quiet) const {
    cv::Mat1f trust(best_.size());
    for_rows(trust.rows, job, [&](int y) {
        for (int x = 0; x < trust.cols; ++x) {
            const float best = best_(y, x);
            const int frames = frames_.empty() ? count_ : frames_(y, x);
            if (frames == 0) {
                trust(y, x) = 0;
                continue;
            }
            const float mean = sum_(y, x) / float(frames);
            trust(y, x) = (best - (mean + least_(y, x)) / 2) / (best + quiet);
        }
    });
    return trust;
}

}  // namespace moorhaze
