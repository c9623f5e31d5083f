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

cv::Mat1f band_energy(const cv::Mat1f& picture, const cv::Mat1f& coarse, double sigma_px, const Job& job) {
    if (!(sigma_px > 0) || !std::isfinite(sigma_px))
        throw BadParameter("energy is gathered over more than 0 px");
    const int reach = std::max(1, int(std::ceil(3 * sigma_px))), width = picture.cols;
    std::vector<float> weights;
    double sum = 0;
    for (int i = 0; i <= reach; ++i) {
        weights.push_back(float(std::exp(-0.5 * i * i / (sigma_px * sigma_px))));
        sum += i == 0 ? 1 : 2 * double(weights.back());
    }
    for (float& weight : weights) weight = float(weight / sum);

    cv::Mat1f energy(picture.size());
    const DoubledRows ground(coarse, picture.size());
    for_rows((picture.rows + kStrip - 1) / kStrip, job, [&](int strip) {
        const int begin = strip * kStrip, end = std::min(begin + kStrip, picture.rows);
        // Squares of the strip's rows and those its blur reaches; borders mirrored.
        const int rows = end - begin + 2 * reach;
        std::vector<float> squares(std::size_t(rows) * std::size_t(width)), scratch(std::size_t(coarse.cols)),
            padded(std::size_t(width + 2 * reach));
        auto square = [&](int row) { return squares.data() + std::ptrdiff_t(row - begin + reach) * width; };
        for (int row = begin - reach; row < end + reach; ++row) {
            const int y = mirrored(row, picture.rows);
            ground.row(y, square(row), scratch.data());
            square_difference(picture[y], square(row), width);
        }
        for (int y = begin; y < end; ++y) {
            float* const middle = padded.data() + reach;
            begin_sum(square(y), weights[0], middle, width);
            for (int i = 1; i <= reach; ++i)
                add_pair(square(y - i), square(y + i), weights[std::size_t(i)], middle, width);
            for (int i = 1; i <= reach; ++i) {
                middle[-i] = middle[mirrored(-i, width)];
                middle[width - 1 + i] = middle[mirrored(width - 1 + i, width)];
            }
            begin_sum(middle, weights[0], energy[y], width);
            for (int i = 1; i <= reach; ++i)
                add_pair(middle - i, middle + i, weights[std::size_t(i)], energy[y], width);
        }
    });
    return energy;
}

float quiet_energy(const cv::Mat1f& energy, double share) {
    std::vector<float> some;
    const int step = energy.total() > 40000 ? 4 : 1;
    for (int y = 0; y < energy.rows; y += step)
        for (int x = 0; x < energy.cols; x += step) some.push_back(energy(y, x));
    const auto at = some.begin() + long(double(some.size() - 1) * share);
    std::nth_element(some.begin(), at, some.end());
    return *at;
}

}  // namespace moorhaze
