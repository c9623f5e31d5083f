// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/sharpness.h"

#include <algorithm>

#include "core/focus/modified_laplacian.h"
#include "core/picture/blur.h"
#include "core/picture/luma.h"

namespace moorhaze {

cv::Mat1f sharpness_of(const LinearFrame& frame, double detail_size_px, const Job& job) {
    const cv::Mat1f luma = perceptual_luma(frame.pixels, job.quiet());
    cv::Mat1f sharpness =
        gaussian_blur(modified_laplacian(luma, 1, job.quiet()), detail_size_px / 2, job.quiet());
    for_rows(sharpness.rows, job.quiet(), [&](int y) {
        const RowSpan span = frame.covered[std::size_t(y)];
        std::fill(sharpness[y], sharpness[y] + span.begin, 0.0f);
        std::fill(sharpness[y] + span.end, sharpness[y] + sharpness.cols, 0.0f);
    });
    return sharpness;
}

}  // namespace moorhaze
