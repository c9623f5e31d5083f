// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/align/detail_pyramid.h"

#include <algorithm>
#include <cmath>

#include "core/picture/blur.h"
#include "core/picture/pyramid.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

constexpr int kCoarsestSide = 48;

/// The strength of the quietest fifth, which holds noise alone, but never more than a third of the usual: a
/// texture that is the same all over is no noise.
float noise_of(const cv::Mat1f& strength) {
    std::vector<float> values;
    const int step = std::max(1, int(std::sqrt(double(strength.total()) / 20000)));
    for (int y = 0; y < strength.rows; y += step)
        for (int x = 0; x < strength.cols; x += step) values.push_back(strength(y, x));
    std::sort(values.begin(), values.end());
    return std::min(values[values.size() / 5], values[values.size() / 2] / 3);
}

}  // namespace

DetailPyramid detail_pyramid(const cv::Mat1f& luma, double scale, const Job& job) {
    DetailPyramid pyramid;
    pyramid.scale = scale;
    cv::Mat1f here = luma;
    while (true) {
        DetailPyramid::Level level;
        const cv::Mat1f fine = gaussian_blur(here, 1.0, job.quiet()),
                        broad = gaussian_blur(here, 2.6, job.quiet());
        level.detail = fine - broad;
        cv::Mat1f square(level.detail.size());
        for_rows(square.rows, job.quiet(), [&](int y) {
            for (int x = 0; x < square.cols; ++x) square(y, x) = level.detail(y, x) * level.detail(y, x);
        });
        level.strength = gaussian_blur(square, 4.0, job.quiet());
        for_rows(square.rows, job.quiet(), [&](int y) {
            for (int x = 0; x < square.cols; ++x)
                level.strength(y, x) = std::sqrt(std::max(0.0f, level.strength(y, x)));
        });
        level.noise = std::max(0.0008f, noise_of(level.strength));
        for_rows(square.rows, job.quiet(), [&](int y) {
            for (int x = 0; x < square.cols; ++x)
                level.detail(y, x) /=
                    std::sqrt(level.strength(y, x) * level.strength(y, x) + level.noise * level.noise);
        });
        pyramid.levels.push_back(std::move(level));
        if (std::min(here.cols, here.rows) / 2 < kCoarsestSide) break;
        here = pyramid_down(here, job.quiet());
    }
    return pyramid;
}

}  // namespace moorhaze
