// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/picture/blur.h"

#include <algorithm>
#include <cmath>

#include "core/work/clones.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

/// The rows' weighted sum, the middle one first, then pair by pair outwards.
template <int Reach>
MOORHAZE_CLONES void sum_pairs(const float* const* rows, const float* weights, float* sum, int count) {
    const float* own[2 * Reach + 1];
    float weight[Reach + 1];
    for (int k = 0; k <= 2 * Reach; ++k) own[k] = rows[k];
    for (int k = 0; k <= Reach; ++k) weight[k] = weights[k];
#pragma GCC ivdep
    for (int i = 0; i < count; ++i) {
        float value = weight[0] * own[Reach][i];
#pragma GCC unroll 8
        for (int k = 1; k <= Reach; ++k) value += weight[k] * (own[Reach - k][i] + own[Reach + k][i]);
        sum[i] = value;
    }
}

/// The same of two more pairs, the nearer one first.
MOORHAZE_CLONES void add_two_pairs(const float* const* near, const float* const* far, const float* weights,
                                   float* sum, int count) {
    const float *const a = near[0], *const b = near[1], *const c = far[0], *const d = far[1];
    const float one = weights[0], other = weights[1];
#pragma GCC ivdep
    for (int i = 0; i < count; ++i) sum[i] += one * (a[i] + b[i]) + other * (c[i] + d[i]);
}

MOORHAZE_CLONES void add_pair(const float* before, const float* behind, float weight, float* sum, int count) {
#pragma GCC ivdep
    for (int i = 0; i < count; ++i) sum[i] += weight * (before[i] + behind[i]);
}

void sum_of(const float* const* rows, const std::vector<float>& weights, float* sum, int count) {
    const int reach = int(weights.size()) - 1;
    switch (reach) {
        case 1:
            return sum_pairs<1>(rows, weights.data(), sum, count);
        case 2:
            return sum_pairs<2>(rows, weights.data(), sum, count);
        case 3:
            return sum_pairs<3>(rows, weights.data(), sum, count);
        default:
            break;
    }
    constexpr int first = 4;
    sum_pairs<first>(rows + reach - first, weights.data(), sum, count);
    int k = first + 1;
    for (; k < reach; k += 2) {
        const float *const near[] = {rows[reach - k], rows[reach + k]}, *const far[] = {rows[reach - k - 1],
                                                                                        rows[reach + k + 1]};
        add_two_pairs(near, far, weights.data() + k, sum, count);
    }
    if (k == reach) add_pair(rows[0], rows[2 * reach], weights[std::size_t(k)], sum, count);
}

}  // namespace

int mirrored(int place, int count) {
    if (count == 1) return 0;
    const int period = 2 * (count - 1);
    place %= period;
    if (place < 0) place += period;
    return place < count ? place : period - place;
}

GaussianKernel::GaussianKernel(double sigma_px) {
    if (!(sigma_px > 0) || !std::isfinite(sigma_px))
        throw BadParameter("a blur needs a sigma of more than 0 px");
    const int reach = std::max(1, int(std::ceil(3 * sigma_px)));
    double sum = 0;
    for (int i = 0; i <= reach; ++i) {
        const double value = std::exp(-0.5 * i * i / (sigma_px * sigma_px));
        weights_.push_back(float(value));
        sum += i == 0 ? value : 2 * value;
    }
    for (float& weight : weights_) weight = float(weight / sum);
}

void GaussianKernel::row(const float* const* rows, int width, int channels, float* scratch,
                         float* out) const {
    const int own = reach(), values = width * channels;
    float* const middle = scratch + own * channels;
    sum_of(rows, weights_, middle, values);
    for (int i = 1; i <= own; ++i)
        for (int channel = 0; channel < channels; ++channel) {
            middle[-i * channels + channel] = middle[mirrored(-i, width) * channels + channel];
            middle[(width - 1 + i) * channels + channel] =
                middle[mirrored(width - 1 + i, width) * channels + channel];
        }
    // As many pointers as there are rows; wide kernels are rare.
    constexpr int kFew = 64;
    const float* few[kFew];
    std::vector<const float*> many;
    const int count = 2 * own + 1;
    if (count > kFew) many.resize(std::size_t(count));
    const float** const across = count > kFew ? many.data() : few;
    for (int i = 0; i < count; ++i) across[i] = middle + (i - own) * channels;
    sum_of(across, weights_, out, values);
}

cv::Mat gaussian_blur(const cv::Mat& picture, double sigma_px, const Job& job) {
    if (!(sigma_px >= 0) || !std::isfinite(sigma_px))
        throw BadParameter("a blur needs a sigma of 0 px or more");
    CV_Assert(picture.depth() == CV_32F);
    if (sigma_px == 0 || picture.empty()) return picture.clone();
    const GaussianKernel kernel(sigma_px);
    const int reach = kernel.reach();
    cv::Mat out(picture.size(), picture.type());
    const int channels = picture.channels(), width = picture.cols;
    for_rows(picture.rows, job, [&](int y) {
        std::vector<float> scratch(std::size_t((width + 2 * reach) * channels));
        std::vector<const float*> rows;
        for (int i = -reach; i <= reach; ++i)
            rows.push_back(picture.ptr<float>(mirrored(y + i, picture.rows)));
        kernel.row(rows.data(), width, channels, scratch.data(), out.ptr<float>(y));
    });
    return out;
}

}  // namespace moorhaze
