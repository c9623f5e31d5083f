// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/picture/downsampled.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

#include "core/picture/luma.h"
#include "core/work/clones.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

constexpr int kReducedStrip = 16;  // rows of the result; small enough for the cache

cv::Size half_of(cv::Size size) {
    return {(size.width + 1) / 2, (size.height + 1) / 2};
}

/// The four rows that row y of a half is made of.
std::array<int, 4> rows_of(int y, int height) {
    std::array<int, 4> rows{};
    for (int i = 0; i < 4; ++i) rows[std::size_t(i)] = std::clamp(2 * y - 1 + i, 0, height - 1);
    return rows;
}

template <class Value, class Sum>
MOORHAZE_CLONES void sum_rows(const Value* const* rows, Sum* sum, int count) {
    for (int i = 0; i < count; ++i)
        sum[i] = Sum(Sum(rows[0][i]) + Sum(rows[3][i]) + Sum(3) * (Sum(rows[1][i]) + Sum(rows[2][i])));
}

/// Calls take(i, values…) with the sums 1 3 3 1 of each pixel of the half, channel by channel.
template <int Channels, class Sum, class Take>
void sum_across(const Sum* row, int width, const Take& take) {
    const int half = (width + 1) / 2;
    for (int i = 0; i < half; ++i) {
        const Sum* before = row + Channels * std::max(2 * i - 1, 0);
        const Sum* own = row + Channels * 2 * i;
        const Sum* other = row + Channels * std::min(2 * i + 1, width - 1);
        const Sum* after = row + Channels * std::min(2 * i + 2, width - 1);
        for (int c = 0; c < Channels; ++c)
            take(Channels * i + c, before[c] + after[c] + Sum(3) * (own[c] + other[c]));
    }
}

/// Sums of 64 encoded values, four of them in a step, to linear light.
constexpr int kSumShift8 = 2, kSumShift16 = 6;
std::vector<float> light_of_sums(const ToneCurve& curve, int channel) {
    const float* linear = curve.linear_of_8(channel);
    std::vector<float> light(((255 * 64) >> kSumShift8) + 1);
    for (std::size_t i = 0; i < light.size(); ++i) {
        const float code = float(i) * float(1 << kSumShift8) / 64;
        const int below = std::min(int(code), 254);
        light[i] = std::max(0.0f, std::lerp(linear[below], linear[below + 1], code - float(below)));
    }
    return light;
}

/// A row of linear light at half the size.
template <class Value, class Sum>
void half_light_row(const cv::Mat& pixels, int y, const float* const* light, int shift, std::vector<Sum>& sum,
                    float* out) {
    const Value* rows[4];
    const auto places = rows_of(y, pixels.rows);
    for (std::size_t i = 0; i < 4; ++i) rows[i] = pixels.ptr<Value>(places[i]);
    sum.resize(std::size_t(pixels.cols) * 3);
    sum_rows<Value, Sum>(rows, sum.data(), int(sum.size()));
    const Sum half_step = Sum(Sum(1) << (shift - 1));
    int channel = 0;
    sum_across<3, Sum>(sum.data(), pixels.cols, [&](int at, Sum value) {
        out[at] = light[channel][(value + half_step) >> shift];
        channel = channel == 2 ? 0 : channel + 1;
    });
}

MOORHAZE_CLONES void take_roots(float* values, int count) {
    for (int i = 0; i < count; ++i) values[i] = std::sqrt(values[i] > 0 ? values[i] : 0.0f);
}

template <class Value>
void add_luma_parts(const Value* encoded, const float* const* parts, float* out, int width) {
    for (int i = 0; i < width; ++i)
        out[i] = parts[0][encoded[3 * i]] + parts[1][encoded[3 * i + 1]] + parts[2][encoded[3 * i + 2]];
}

MOORHAZE_CLONES void mix_rows(const float* near, const float* far, float* out, int count) {
    for (int i = 0; i < count; ++i) out[i] = 0.75f * near[i] + 0.25f * far[i];
}

/// Adds a quarter of the squared difference of a full row from its half, enlarged on a line.
MOORHAZE_CLONES void add_energy(const float* full, const float* half, float* energy, int width) {
    const int count = (width + 1) / 2;
    auto one = [&](int i, int before, int after, int other) {
        const float left = full[2 * i] - (0.75f * half[i] + 0.25f * half[before]),
                    right = full[other] - (0.75f * half[i] + 0.25f * half[after]);
        energy[i] += 0.25f * (left * left + right * right);
    };
    one(0, 0, std::min(1, count - 1), std::min(1, width - 1));
    for (int i = 1; i + 1 < count; ++i) {
        const float left = full[2 * i] - (0.75f * half[i] + 0.25f * half[i - 1]),
                    right = full[2 * i + 1] - (0.75f * half[i] + 0.25f * half[i + 1]);
        energy[i] += 0.25f * (left * left + right * right);
    }
    if (count > 1) one(count - 1, count - 2, count - 1, std::min(2 * count - 1, width - 1));
}

}  // namespace

cv::Mat3f light_downsampled_by_4(const Picture& picture, const ToneCurve& curve, const Job& job) {
    const cv::Size half = half_of(picture.pixels.size()), quarter = half_of(half);
    const bool deep = picture.bits() == 16;
    std::vector<float> tables[3];
    const float* light[3];
    for (int channel = 0; channel < 3; ++channel) {
        if (!deep) tables[channel] = light_of_sums(curve, channel);
        light[channel] = deep ? curve.linear_of_16(channel) : tables[channel].data();
    }
    cv::Mat3f out(quarter);
    for_rows((quarter.height + kReducedStrip - 1) / kReducedStrip, job, [&](int strip) {
        const int begin = strip * kReducedStrip, end = std::min(begin + kReducedStrip, quarter.height);
        const int first = 2 * begin - 1, last = 2 * (end - 1) + 2;
        cv::Mat3f halves(last - first + 1, half.width);
        std::vector<std::uint16_t> sum_8;
        std::vector<std::uint32_t> sum_16;
        for (int row = first; row <= last; ++row) {
            const int held = std::clamp(row, 0, half.height - 1);
            float* const to = halves.ptr<float>(row - first);
            if (deep)
                half_light_row<std::uint16_t>(picture.pixels, held, light, kSumShift16, sum_16, to);
            else
                half_light_row<std::uint8_t>(picture.pixels, held, light, kSumShift8, sum_8, to);
        }
        std::vector<float> sum(std::size_t(half.width) * 3);
        for (int y = begin; y < end; ++y) {
            const float* rows[4];
            for (int i = 0; i < 4; ++i) rows[i] = halves.ptr<float>(2 * (y - begin) + i);
            sum_rows<float, float>(rows, sum.data(), int(sum.size()));
            float* const to = out.ptr<float>(y);
            sum_across<3, float>(sum.data(), half.width, [&](int at, float value) { to[at] = value / 64; });
        }
    });
    return out;
}

DownsampledLuma luma_downsampled_by_2(const Picture& picture, const ToneCurve& curve, const cv::Vec3d& gains,
                                      const Job& job) {
    const cv::Size size = picture.pixels.size(), half = half_of(size);
    const bool deep = picture.bits() == 16;
    std::vector<float> tables[3];
    const float* parts[3];
    for (int channel = 0; channel < 3; ++channel) {
        const float* linear = deep ? curve.linear_of_16(channel) : curve.linear_of_8(channel);
        tables[channel].resize(deep ? 65536 : 256);
        for (std::size_t i = 0; i < tables[channel].size(); ++i)
            tables[channel][i] = kLuminance[channel] * float(gains[channel]) * std::max(linear[i], 0.0f);
        parts[channel] = tables[channel].data();
    }
    DownsampledLuma out{cv::Mat1f(half), cv::Mat1f(half)};
    for_rows((half.height + kReducedStrip - 1) / kReducedStrip, job, [&](int strip) {
        const int begin = strip * kReducedStrip, end = std::min(begin + kReducedStrip, half.height);
        // The strip's rows of the half with one above and one below, and the rows of the picture they need.
        const int first = 2 * (begin - 1) - 1, last = 2 * end + 2;
        cv::Mat1f full(last - first + 1, size.width), halves(end - begin + 2, half.width);
        for (int row = first; row <= last; ++row) {
            const int held = std::clamp(row, 0, size.height - 1);
            float* const to = full[row - first];
            if (deep)
                add_luma_parts(picture.pixels.ptr<std::uint16_t>(held), parts, to, size.width);
            else
                add_luma_parts(picture.pixels.ptr<std::uint8_t>(held), parts, to, size.width);
            take_roots(to, size.width);
        }
        std::vector<float> sum(static_cast<std::size_t>(size.width)), doubled(std::size_t(half.width));
        for (int y = begin - 1; y <= end; ++y) {
            const int held = std::clamp(y, 0, half.height - 1);
            const float* rows[4];
            const auto places = rows_of(held, size.height);
            for (std::size_t i = 0; i < 4; ++i) rows[i] = full[places[i] - first];
            sum_rows<float, float>(rows, sum.data(), size.width);
            float* const to = halves[y - begin + 1];
            sum_across<1, float>(sum.data(), size.width, [&](int at, float value) { to[at] = value / 64; });
        }
        for (int y = begin; y < end; ++y) {
            const float* const own = halves[y - begin + 1];
            std::copy(own, own + half.width, out.luma[y]);
            float* const energy = out.fine_energy[y];
            std::fill(energy, energy + half.width, 0.0f);
            for (int i = 0; i < 2; ++i) {
                mix_rows(own, halves[y - begin + 2 * i], doubled.data(), half.width);
                add_energy(full[std::min(2 * y + i, size.height - 1) - first], doubled.data(), energy,
                           size.width);
            }
        }
    });
    return out;
}

}  // namespace moorhaze
