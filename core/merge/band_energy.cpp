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

MOORHAZE_CLONES void begin_sum(const float* row, float weight, float* sum, int count) {
    for (int i = 0; i < count; ++i) sum[i] = weight * row[i];
}

MOORHAZE_CLONES void add_pair(const float* one, const float* other, float weight, float* sum, int count) {
    for (int i = 0; i < count; ++i) sum[i] += weight * (one[i] + other[i]);
}

/// The same for three pairs around a middle in one go, which is the reach of the merges' kernels.
MOORHAZE_CLONES void sum_seven(const float* const* rows, const float* weights, float* sum, int count) {
    const float *a = rows[0], *b = rows[1], *c = rows[2], *middle = rows[3], *d = rows[4], *e = rows[5],
                *f = rows[6];
    for (int i = 0; i < count; ++i)
        sum[i] = weights[0] * middle[i] + weights[1] * (c[i] + d[i]) + weights[2] * (b[i] + e[i]) +
                 weights[3] * (a[i] + f[i]);
}

}  // namespace

MOORHAZE_CLONES void square_difference_row(const float* one, const float* other, float* squares, int width) {
    for (int i = 0; i < width; ++i) {
        const float difference = one[i] - other[i];
        squares[i] = difference * difference;
    }
}

GatheringKernel::GatheringKernel(double sigma_px) {
    if (!(sigma_px > 0) || !std::isfinite(sigma_px))
        throw BadParameter("energy is gathered over more than 0 px");
    const int reach = std::max(1, int(std::ceil(3 * sigma_px)));
    double sum = 0;
    for (int i = 0; i <= reach; ++i) {
        weights_.push_back(float(std::exp(-0.5 * i * i / (sigma_px * sigma_px))));
        sum += i == 0 ? 1 : 2 * double(weights_.back());
    }
    for (float& weight : weights_) weight = float(weight / sum);
}

void GatheringKernel::row(const float* const* rows, int width, float* scratch, float* out) const {
    const int own = reach();
    float* const middle = scratch + own;
    if (own == 3)
        sum_seven(rows, weights_.data(), middle, width);
    else {
        begin_sum(rows[own], weights_[0], middle, width);
        for (int i = 1; i <= own; ++i)
            add_pair(rows[own - i], rows[own + i], weights_[std::size_t(i)], middle, width);
    }
    for (int i = 1; i <= own; ++i) {
        middle[-i] = middle[mirrored(-i, width)];
        middle[width - 1 + i] = middle[mirrored(width - 1 + i, width)];
    }
    if (own == 3) {
        const float* across[7];
        for (int i = 0; i < 7; ++i) across[i] = middle + i - 3;
        sum_seven(across, weights_.data(), out, width);
        return;
    }
    begin_sum(middle, weights_[0], out, width);
    for (int i = 1; i <= own; ++i) add_pair(middle - i, middle + i, weights_[std::size_t(i)], out, width);
}

void gather_rows(cv::Size size, double sigma_px, const std::function<void(int y, float* row)>& make,
                 const std::function<void(int y, const float* gathered)>& take, const Job& job) {
    const GatheringKernel kernel(sigma_px);
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
            kernel.row(rows.data() + (y - begin), width, scratch.data(), gathered.data());
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
