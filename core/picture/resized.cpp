// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/picture/resized.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/work/clones.h"
#include "core/work/errors.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

constexpr double kLobes = 3;

double lanczos(double x) {
    x = std::abs(x);
    if (x < 1e-9) return 1;
    if (x >= kLobes) return 0;
    const double u = std::numbers::pi * x;
    return kLobes * std::sin(u) * std::sin(u / kLobes) / (u * u);
}

/// Which pixels make one of the new ones, along one axis.
struct Taps {
    int count = 0;  ///< per new pixel
    std::vector<int> first;
    std::vector<float> weights;  ///< count per new pixel, sum 1
    /// Of each new pixel those that bound it: within the kernel's middle lobe where a picture is reduced, all
    /// of them where it is enlarged. In linear light the other lobes would else ring as far as black and
    /// white beside an edge.
    std::vector<int> middle_begin, middle_end;
};

Taps taps_of(int from, int to) {
    const double step = double(from) / to, wide = std::max(1.0, step);
    Taps taps;
    taps.count = int(std::ceil(2 * kLobes * wide)) + 1;
    for (int i = 0; i < to; ++i) {
        const double centre = (i + 0.5) * step - 0.5;
        const int first = int(std::ceil(centre - kLobes * wide));
        taps.first.push_back(first);
        std::vector<double> own;
        double sum = 0;
        for (int k = 0; k < taps.count; ++k) sum += own.emplace_back(lanczos((first + k - centre) / wide));
        for (const double weight : own) taps.weights.push_back(float(weight / sum));
        int begin = taps.count, end = 0;
        for (int k = 0; k < taps.count; ++k)
            if (std::abs(first + k - centre) < (step > 1 ? wide : kLobes)) begin = std::min(begin, k), end = k + 1;
        taps.middle_begin.push_back(begin);
        taps.middle_end.push_back(end);
    }
    return taps;
}

constexpr int kChannels = 4;  // linear light by its alpha, and alpha

/// One new pixel out of pixels that lie `stride` floats apart.
MOORHAZE_CLONES void weigh_columns(const float* padded, const Taps& taps, int pad, int count, float* out) {
    for (int x = 0; x < count; ++x) {
        const float* from = padded + kChannels * (taps.first[std::size_t(x)] + pad);
        const float* weights = taps.weights.data() + std::size_t(x) * std::size_t(taps.count);
        float sum[kChannels] = {};
        for (int k = 0; k < taps.count; ++k)
            for (int c = 0; c < kChannels; ++c) sum[c] += weights[k] * from[kChannels * k + c];
        const int begin = taps.middle_begin[std::size_t(x)], end = taps.middle_end[std::size_t(x)];
        float low[kChannels], high[kChannels];
        for (int c = 0; c < kChannels; ++c) low[c] = high[c] = from[kChannels * begin + c];
        for (int k = begin + 1; k < end; ++k)
            for (int c = 0; c < kChannels; ++c) {
                low[c] = std::min(low[c], from[kChannels * k + c]);
                high[c] = std::max(high[c], from[kChannels * k + c]);
            }
        for (int c = 0; c < kChannels; ++c)
            out[kChannels * x + c] = std::min(std::max(sum[c], low[c]), high[c]);
    }
}

MOORHAZE_CLONES void add_weighted(const float* row, float weight, float* sum, int count) {
    for (int i = 0; i < count; ++i) sum[i] += weight * row[i];
}

MOORHAZE_CLONES void widen_range(const float* row, float* low, float* high, int count) {
    for (int i = 0; i < count; ++i) {
        low[i] = std::min(low[i], row[i]);
        high[i] = std::max(high[i], row[i]);
    }
}

MOORHAZE_CLONES void hold_within(const float* low, const float* high, float* values, int count) {
    for (int i = 0; i < count; ++i) values[i] = std::min(std::max(values[i], low[i]), high[i]);
}

}  // namespace

Picture resized(const Picture& picture, cv::Size size, const Job& job) {
    if (size.width < 1 || size.height < 1)
        throw BadParameter("a picture is at least one pixel wide and high");
    const ToneCurve curve(picture.profile);
    const bool deep = picture.bits() == 16, has_alpha = !picture.alpha.empty();
    const Taps across = taps_of(picture.width(), size.width), down = taps_of(picture.height(), size.height);
    const int pad = across.count + 2;
    cv::Mat narrowed(picture.height(), size.width, CV_32FC4);
    for_rows(picture.height(), job.part(0, 0.7), [&](int y) {
        std::vector<float> padded(kChannels * std::size_t(picture.width() + 2 * pad));
        for (int i = 0; i < picture.width() + 2 * pad; ++i) {
            const int x = std::clamp(i - pad, 0, picture.width() - 1);
            float* out = padded.data() + kChannels * i;
            float alpha = 1;
            if (has_alpha)
                alpha = deep ? float(picture.alpha.at<std::uint16_t>(y, x)) / 65535
                             : float(picture.alpha.at<std::uint8_t>(y, x)) / 255;
            for (int c = 0; c < 3; ++c)
                out[c] =
                    alpha * (deep ? curve.linear_of_16(c)[picture.pixels.ptr<std::uint16_t>(y)[3 * x + c]]
                                  : curve.linear_of_8(c)[picture.pixels.ptr<std::uint8_t>(y)[3 * x + c]]);
            out[3] = alpha;
        }
        weigh_columns(padded.data(), across, pad, size.width, narrowed.ptr<float>(y));
    });
    Picture made{cv::Mat(size, CV_16UC3), {}, picture.profile};
    if (has_alpha) made.alpha.create(size, CV_16UC1);
    for_rows(size.height, job.part(0.7, 1), [&](int y) {
        std::vector<float> sum(kChannels * std::size_t(size.width), 0.0f), rgb(3 * std::size_t(size.width));
        const float* weights = down.weights.data() + std::size_t(y) * std::size_t(down.count);
        const auto row = [&](int k) {
            return narrowed.ptr<float>(std::clamp(down.first[std::size_t(y)] + k, 0, picture.height() - 1));
        };
        const int values = kChannels * size.width, begin = down.middle_begin[std::size_t(y)];
        for (int k = 0; k < down.count; ++k)
            if (weights[k] != 0) add_weighted(row(k), weights[k], sum.data(), values);
        std::vector<float> low(row(begin), row(begin) + values), high = low;
        for (int k = begin + 1; k < down.middle_end[std::size_t(y)]; ++k)
            widen_range(row(k), low.data(), high.data(), values);
        hold_within(low.data(), high.data(), sum.data(), values);
        for (int x = 0; x < size.width; ++x) {
            const float alpha = sum[std::size_t(kChannels * x + 3)];
            for (int c = 0; c < 3; ++c)
                rgb[std::size_t(3 * x + c)] =
                    has_alpha ? sum[std::size_t(kChannels * x + c)] / std::max(alpha, 1e-4f)
                              : sum[std::size_t(kChannels * x + c)];
            if (has_alpha)
                made.alpha.at<std::uint16_t>(y, x) =
                    std::uint16_t(std::lround(65535 * std::clamp(alpha, 0.0f, 1.0f)));
        }
        curve.encode_row_16(rgb.data(), made.pixels.ptr<std::uint16_t>(y), size.width);
    });
    return made;
}

}  // namespace moorhaze
