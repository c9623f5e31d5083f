// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/band_energy.h"

#include <algorithm>
#include <cmath>
#include <vector>

#include "core/picture/blur.h"
#include "core/picture/pyramid.h"
#include "core/work/clones.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

constexpr int kStrip = 32;  // rows; small enough for the cache, large against the rows that strips share

}  // namespace

MOORHAZE_CLONES void square_difference_row(const float* one, const float* other, float* squares, int width) {
    for (int i = 0; i < width; ++i) {
        const float difference = one[i] - other[i];
        squares[i] = difference * difference;
    }
}

void gather_rows(cv::Size size, double sigma_px, const std::function<void(int y, float* row)>& make,
                 const std::function<void(int y, const float* gathered)>& take, const Job& job) {
    if (!(sigma_px > 0)) throw BadParameter("energy is gathered over more than 0 px");
    const GaussianKernel kernel(sigma_px);
    const int reach = kernel.reach(), width = size.width;
    for_rows((size.height + kStrip - 1) / kStrip, job, [&](int strip) {
        const int begin = strip * kStrip, end = std::min(begin + kStrip, size.height);
        // The strip's rows and those its blur reaches.
        const int count = end - begin + 2 * reach;
        std::vector<float> made(std::size_t(count) * std::size_t(width)),
            scratch(std::size_t(width + 2 * reach)), gathered(static_cast<std::size_t>(width));
        std::vector<const float*> rows;
        for (int i = 0; i < count; ++i) {
            float* const row = made.data() + std::ptrdiff_t(i) * width;
            make(mirrored(begin - reach + i, size.height), row);
            rows.push_back(row);
        }
        for (int y = begin; y < end; ++y) {
            kernel.row(rows.data() + (y - begin), width, 1, scratch.data(), gathered.data());
            take(y, gathered.data());
        }
    });
}

cv::Mat1f band_energy(const cv::Mat1f& picture, const cv::Mat1f& coarse, double sigma_px, const Job& job) {
    cv::Mat1f energy(picture.size());
    const UpsampledRows ground(coarse, picture.size());
    gather_rows(
        picture.size(), sigma_px,
        [&](int y, float* squares) {
            std::vector<float> scratch(std::size_t(coarse.cols));
            ground.row(y, squares, scratch.data());
            square_difference_row(picture[y], squares, squares, picture.cols);
        },
        [&](int y, const float* gathered) { std::copy(gathered, gathered + picture.cols, energy[y]); }, job);
    return energy;
}

float quiet_energy(std::vector<float>& values, double share) {
    if (values.empty()) return 0;
    const auto at = values.begin() + long(double(values.size() - 1) * share);
    std::nth_element(values.begin(), at, values.end());
    return *at;
}

float quiet_energy(const cv::Mat1f& energy, double share, const Coverage& coverage, int level) {
    std::vector<float> some;
    const int step = energy.total() > 40000 ? 4 : 1;
    for (int y = 0; y < energy.rows; y += step) {
        const RowSpan covered = coverage.row(y, level, energy.cols);
        for (int x = (covered.begin + step - 1) / step * step; x < covered.end; x += step)
            some.push_back(energy(y, x));
    }
    return quiet_energy(some, share);
}

}  // namespace moorhaze
