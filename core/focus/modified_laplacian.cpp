// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/focus/modified_laplacian.h"

#include <cmath>

#include "core/picture/blur.h"
#include "core/work/clones.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

MOORHAZE_CLONES void inner_row(const float* above, const float* row, const float* below, int step, int begin,
                               int end, float* out) {
    for (int x = begin; x < end; ++x)
        out[x] =
            std::abs(2 * row[x] - row[x - step] - row[x + step]) + std::abs(2 * row[x] - above[x] - below[x]);
}

}  // namespace

cv::Mat1f modified_laplacian(const cv::Mat1f& luma, int step_px, const Job& job) {
    if (step_px < 1) throw BadParameter("the step of a focus measure is at least 1 px");
    cv::Mat1f out(luma.size());
    for_rows(luma.rows, job, [&](int y) {
        const float* row = luma[y];
        const float* above = luma[mirrored(y - step_px, luma.rows)];
        const float* below = luma[mirrored(y + step_px, luma.rows)];
        const int inner = std::min(step_px, luma.cols), end = std::max(inner, luma.cols - step_px);
        auto border = [&](int x) {
            const float left = row[mirrored(x - step_px, luma.cols)],
                        right = row[mirrored(x + step_px, luma.cols)];
            out(y, x) = std::abs(2 * row[x] - left - right) + std::abs(2 * row[x] - above[x] - below[x]);
        };
        for (int x = 0; x < inner; ++x) border(x);
        inner_row(above, row, below, step_px, inner, end, out[y]);
        for (int x = end; x < luma.cols; ++x) border(x);
    });
    return out;
}

}  // namespace moorhaze
