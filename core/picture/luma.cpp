// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/picture/luma.h"

#include <cmath>

#include "core/work/clones.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

constexpr float kRed = kLuminance[0], kGreen = kLuminance[1], kBlue = kLuminance[2];

MOORHAZE_CLONES void luma_row(const float* linear, float* luma, int pixels) {
    for (int i = 0; i < pixels; ++i)
        luma[i] = std::sqrt(
            std::max(0.0f, kRed * linear[3 * i] + kGreen * linear[3 * i + 1] + kBlue * linear[3 * i + 2]));
}

template <class Value>
void perceptual_row(const Value* encoded, const float* const* tables, float* luma, int pixels) {
    for (int i = 0; i < pixels; ++i)
        luma[i] = std::sqrt(kRed * tables[0][encoded[3 * i]] + kGreen * tables[1][encoded[3 * i + 1]] +
                            kBlue * tables[2][encoded[3 * i + 2]]);
}

}  // namespace

cv::Mat1f perceptual_luma(const cv::Mat3f& linear, const Job& job) {
    cv::Mat1f luma(linear.size());
    for_rows(luma.rows, job, [&](int y) { luma_row(linear.ptr<float>(y), luma[y], luma.cols); });
    return luma;
}

cv::Mat1f perceptual_luma(const Picture& picture, const ToneCurve& curve, const Job& job) {
    cv::Mat1f luma(picture.pixels.size());
    const bool deep = picture.bits() == 16;
    const float* tables[3];
    for (int channel = 0; channel < 3; ++channel)
        tables[channel] = deep ? curve.linear_of_16(channel) : curve.linear_of_8(channel);
    for_rows(luma.rows, job, [&](int y) {
        if (deep)
            perceptual_row(picture.pixels.ptr<std::uint16_t>(y), tables, luma[y], luma.cols);
        else
            perceptual_row(picture.pixels.ptr<std::uint8_t>(y), tables, luma[y], luma.cols);
    });
    return luma;
}

}  // namespace moorhaze
