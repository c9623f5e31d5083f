// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/picture/blur.h"

#include <cmath>
#include <vector>

#include "core/work/clones.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

MOORHAZE_CLONES void add_scaled(const float* source, float weight, float* sum, int count) {
    for (int i = 0; i < count; ++i) sum[i] += weight * source[i];
}

/// Adds two rows that share a weight.
MOORHAZE_CLONES void add_pair_scaled(const float* one, const float* other, float weight, float* sum,
                                     int count) {
    for (int i = 0; i < count; ++i) sum[i] += weight * (one[i] + other[i]);
}

}  // namespace

int mirrored(int place, int count) {
    if (count == 1) return 0;
    const int period = 2 * (count - 1);
    place %= period;
    if (place < 0) place += period;
    return place < count ? place : period - place;
}

cv::Mat gaussian_blur(const cv::Mat& picture, double sigma_px, const Job& job) {
    if (!(sigma_px >= 0) || !std::isfinite(sigma_px))
        throw BadParameter("a blur needs a sigma of 0 px or more");
    CV_Assert(picture.depth() == CV_32F);
    if (sigma_px == 0 || picture.empty()) return picture.clone();
    const int reach = std::max(1, int(std::ceil(3 * sigma_px)));
    std::vector<float> weights(std::size_t(reach) + 1);
    double sum = 0;
    for (int i = 0; i <= reach; ++i) {
        const double value = std::exp(-0.5 * i * i / (sigma_px * sigma_px));
        weights[std::size_t(i)] = float(value);
        sum += i == 0 ? value : 2 * value;
    }
    for (float& weight : weights) weight = float(weight / sum);

    cv::Mat out(picture.size(), picture.type());
    const int channels = picture.channels(), width = picture.cols, values = width * channels;
    for_rows(picture.rows, job, [&](int y) {
        std::vector<float> padded(std::size_t((width + 2 * reach) * channels));
        float* middle = padded.data() + reach * channels;
        add_scaled(picture.ptr<float>(y), weights[0], middle, values);
        for (int i = 1; i <= reach; ++i)
            add_pair_scaled(picture.ptr<float>(mirrored(y - i, picture.rows)),
                            picture.ptr<float>(mirrored(y + i, picture.rows)), weights[std::size_t(i)],
                            middle, values);
        for (int i = 1; i <= reach; ++i)
            for (int channel = 0; channel < channels; ++channel) {
                middle[-i * channels + channel] = middle[mirrored(-i, width) * channels + channel];
                middle[(width - 1 + i) * channels + channel] =
                    middle[mirrored(width - 1 + i, width) * channels + channel];
            }
        float* target = out.ptr<float>(y);
        std::fill(target, target + values, 0.0f);
        add_scaled(middle, weights[0], target, values);
        for (int i = 1; i <= reach; ++i)
            add_pair_scaled(middle - i * channels, middle + i * channels, weights[std::size_t(i)], target,
                            values);
    });
    return out;
}

}  // namespace moorhaze
