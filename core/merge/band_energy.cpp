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

MOORHAZE_CLONES void square_difference(const float* one, float* other, int count) {
    for (int i = 0; i < count; ++i) {
        const float difference = one[i] - other[i];
        other[i] = difference * difference;
    }
}

MOORHAZE_CLONES void begin_sum(const float* row, float weight, float* sum, int count) {
    for (int i = 0; i < count; ++i) sum[i] = weight * row[i];
}

MOORHAZE_CLONES void add_pair(const float* one, const float* other, float weight, float* sum, int count) {
    for (int i = 0; i < count; ++i) sum[i] += weight * (one[i] + other[i]);
}

}  // namespace

void gather_rows(cv::Size size, double sigma_px, const std::function<void(int y, float* row)>& make,
                 const std::function<void(int y, const float* gathered)>& take, const Job& job) {
    if (!(sigma_px > 0) || !std::isfinite(sigma_px))
        throw BadParameter("energy is gathered over more than 0 px");
    const int reach = std::max(1, int(std::ceil(3 * sigma_px))), width = size.width;
    std::vector<float> weights;
    double sum = 0;
    for (int i = 0; i <= reach; ++i) {
        weights.push_back(float(std::exp(-0.5 * i * i / (sigma_px * sigma_px))));
        sum += i == 0 ? 1 : 2 * double(weights.back());
    }
    for (float& weight : weights) weight = float(weight / sum);

    for_rows((size.height + kStrip - 1) / kStrip, job, [&](int strip) {
        const int begin = strip * kStrip, end = std::min(begin + kStrip, size.height);
        // The strip's rows and those its blur reaches.
        const int rows = end - begin + 2 * reach;
        std::vector<float> made(std::size_t(rows) * std::size_t(width)),
            padded(std::size_t(width + 2 * reach)), gathered(static_cast<std::size_t>(width));
        auto own = [&](int row) { return made.data() + std::ptrdiff_t(row - begin + reach) * width; };
        for (int row = begin - reach; row < end + reach; ++row) make(mirrored(row, size.height), own(row));
        for (int y = begin; y < end; ++y) {
            float* const middle = padded.data() + reach;
            begin_sum(own(y), weights[0], middle, width);
            for (int i = 1; i <= reach; ++i)
                add_pair(own(y - i), own(y + i), weights[std::size_t(i)], middle, width);
            for (int i = 1; i <= reach; ++i) {
                middle[-i] = middle[mirrored(-i, width)];
                middle[width - 1 + i] = middle[mirrored(width - 1 + i, width)];
            }
            begin_sum(middle, weights[0], gathered.data(), width);
            for (int i = 1; i <= reach; ++i)
                add_pair(middle - i, middle + i, weights[std::size_t(i)], gathered.data(), width);
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
            square_difference(picture[y], squares, picture.cols);
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
