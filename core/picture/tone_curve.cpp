// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/picture/tone_curve.h"

#include <algorithm>
#include <cmath>

#include "core/picture/profile_handle.h"
#include "core/work/clones.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

/// IEC 61966-2-1:1999, the sRGB transfer function.
double srgb_to_linear(double encoded) {
    return encoded <= 0.04045 ? encoded / 12.92 : std::pow((encoded + 0.055) / 1.055, 2.4);
}

/// The profile's curve of a channel, or null where it has none that can be turned round.
const cmsToneCurve* curve_of(cmsHPROFILE profile, int channel) {
    static const cmsTagSignature tags[] = {cmsSigRedTRCTag, cmsSigGreenTRCTag, cmsSigBlueTRCTag};
    if (!profile || cmsGetColorSpace(profile) != cmsSigRgbData) return nullptr;
    const auto* curve = static_cast<const cmsToneCurve*>(cmsReadTag(profile, tags[channel]));
    return curve && cmsIsToneCurveMonotonic(curve) && !cmsIsToneCurveDescending(curve) ? curve : nullptr;
}

MOORHAZE_CLONES void encode_values(const float* linear, const float* const* tables, float* encoded,
                                   int pixels) {
    constexpr float last = float(ToneCurve::kEncodeSteps);
    for (int i = 0; i < pixels; ++i)
        for (int channel = 0; channel < 3; ++channel) {
            const float held = std::min(std::max(linear[3 * i + channel], 0.0f), 1.0f);
            const float place = std::sqrt(held) * last;
            const int below = std::min(int(place), ToneCurve::kEncodeSteps - 1);
            const float* table = tables[channel];
            encoded[3 * i + channel] =
                table[below] + (place - float(below)) * (table[below + 1] - table[below]);
        }
}

template <class Value>
void encode_row(const std::array<std::vector<float>, 3>& tables, const float* linear, Value* encoded,
                int pixels, float scale) {
    const float* pointers[] = {tables[0].data(), tables[1].data(), tables[2].data()};
    float buffer[3 * 128];
    for (int begin = 0; begin < pixels; begin += 128) {
        const int count = std::min(128, pixels - begin);
        encode_values(linear + 3 * begin, pointers, buffer, count);
        for (int i = 0; i < 3 * count; ++i) encoded[3 * begin + i] = Value(buffer[i] * scale + 0.5f);
    }
}

}  // namespace

ToneCurve::ToneCurve(const ColourProfile& profile) {
    const ProfileHandle opened = profile.icc.empty() ? ProfileHandle() : open_profile(profile);
    auto tables = std::make_shared<Tables>();
    for (int channel = 0; channel < 3; ++channel) {
        const cmsToneCurve* curve = curve_of(opened.get(), channel);
        auto& decode = tables->decode_16[std::size_t(channel)];
        decode.resize(65536);
        for (int i = 0; i < 65536; ++i)
            decode[std::size_t(i)] = curve ? cmsEvalToneCurveFloat(curve, float(i) / 65535.0f)
                                           : float(srgb_to_linear(i / 65535.0));
        auto& decode_8 = tables->decode_8[std::size_t(channel)];
        decode_8.resize(256);
        for (int i = 0; i < 256; ++i) decode_8[std::size_t(i)] = decode[std::size_t(i * 257)];

        // The way back, by search in the table just made: any rising curve turns round this way.
        auto& encode = tables->encode[std::size_t(channel)];
        encode.resize(kEncodeSteps + 2);
        for (int i = 0; i <= kEncodeSteps; ++i) {
            const double root = double(i) / kEncodeSteps;
            const auto linear = float(root * root);
            const auto above = std::lower_bound(decode.begin(), decode.end(), linear);
            if (above == decode.begin())
                encode[std::size_t(i)] = 0.0f;
            else if (above == decode.end())
                encode[std::size_t(i)] = 1.0f;
            else {
                const double low = *(above - 1), high = *above;
                const double part = high > low ? (linear - low) / (high - low) : 0.0;
                encode[std::size_t(i)] = float((double(above - decode.begin()) - 1 + part) / 65535.0);
            }
        }
        encode[kEncodeSteps + 1] = encode[kEncodeSteps];
    }
    tables_ = std::move(tables);
}

float ToneCurve::encode(float linear, int channel) const {
    const auto& table = tables_->encode[std::size_t(channel)];
    const float place = std::sqrt(std::clamp(linear, 0.0f, 1.0f)) * float(kEncodeSteps);
    const int below = std::min(int(place), kEncodeSteps - 1);
    return std::lerp(table[std::size_t(below)], table[std::size_t(below) + 1], place - float(below));
}

void ToneCurve::encode_row_16(const float* linear, std::uint16_t* encoded, int pixel_count) const {
    encode_row(tables_->encode, linear, encoded, pixel_count, 65535.0f);
}

void ToneCurve::encode_row_8(const float* linear, std::uint8_t* encoded, int pixel_count) const {
    encode_row(tables_->encode, linear, encoded, pixel_count, 255.0f);
}

cv::Mat3f to_linear(const Picture& picture, const ToneCurve& curve) {
    cv::Mat3f linear(picture.pixels.size());
    for_rows(linear.rows, Job{}, [&](int y) {
        auto* out = linear.ptr<float>(y);
        for (int x = 0; x < linear.cols; ++x)
            for (int channel = 0; channel < 3; ++channel)
                out[3 * x + channel] =
                    picture.bits() == 8
                        ? curve.linear_of_8(channel)[picture.pixels.ptr<std::uint8_t>(y)[3 * x + channel]]
                        : curve.linear_of_16(channel)[picture.pixels.ptr<std::uint16_t>(y)[3 * x + channel]];
    });
    return linear;
}

Picture from_linear(const cv::Mat3f& linear, const ToneCurve& curve, const ColourProfile& profile) {
    Picture picture{cv::Mat(linear.size(), CV_16UC3), {}, profile};
    for_rows(linear.rows, Job{}, [&](int y) {
        curve.encode_row_16(linear.ptr<float>(y), picture.pixels.ptr<std::uint16_t>(y), linear.cols);
    });
    return picture;
}

}  // namespace moorhaze
