// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finish/colour_shift.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/picture/fast_math.h"
#include "core/work/clones.h"

namespace moorhaze {
namespace {

constexpr double kReachDeg = 45;
constexpr float kGreyChroma = 0.01f, kColourChroma = 0.04f;  // between them a hue begins to count
constexpr float kFullChroma = 0.25f;                         // vibrance leaves such a colour alone

void copy_to(const cv::Matx33d& matrix, float* out) {
    for (int i = 0; i < 9; ++i) out[i] = float(matrix.val[i]);
}

inline float row(const float* matrix, int r, float a, float b, float c) {
    return matrix[3 * r] * a + matrix[3 * r + 1] * b + matrix[3 * r + 2] * c;
}

constexpr double kDegrees = 180 / std::numbers::pi;

}  // namespace

double reach_of_hue(double distance_deg) {
    const double off = std::abs(std::remainder(distance_deg, 360.0));
    return off >= kReachDeg ? 0 : 0.5 + 0.5 * std::cos(std::numbers::pi * off / kReachDeg);
}

HueAndChroma hue_of(const cv::Vec3d& linear, const ColourSpace& space) {
    const cv::Vec3d cones = oklab_cones_of_xyz() * (space.to_xyz * linear);
    const cv::Vec3d lab =
        oklab_of_cone_roots() * cv::Vec3d(std::cbrt(cones[0]), std::cbrt(cones[1]), std::cbrt(cones[2]));
    const double hue = std::atan2(lab[2], lab[1]) * kDegrees;
    return {lab[0], std::hypot(lab[1], lab[2]), hue < 0 ? hue + 360 : hue};
}

ColourShift::ColourShift(const Colour& colour, const ColourSpace& space)
    : saturation_(float(1 + colour.saturation)),
      vibrance_(float(colour.vibrance)),
      by_hue_(!colour.ones.empty()) {
    Finish all;
    all.colour = colour;
    check(all);
    const cv::Matx33d to_cones = oklab_cones_of_xyz() * space.to_xyz, to_lab = oklab_of_cone_roots();
    copy_to(to_cones, to_cones_);
    copy_to(to_cones.inv(), from_cones_);
    copy_to(to_lab, to_lab_);
    copy_to(to_lab.inv(), from_roots_);
    for (int i = 0; i < 3; ++i) luminance_[i] = float(space.to_xyz(1, i));
    for (int i = 0; i <= kHues; ++i) {
        double chroma = 1, turn = 0, lightness = 1;
        for (const OneColour& one : colour.ones) {
            const double weight = reach_of_hue(i - one.hue_deg);
            chroma *= 1 + weight * one.saturation;
            turn += weight * one.turn_deg / kDegrees;
            lightness *= 1 + 0.5 * weight * one.lightness;
        }
        hues_[i] = {float(chroma), float(std::cos(turn)), float(std::sin(turn)), float(lightness)};
    }
}

MOORHAZE_CLONES void ColourShift::apply(float* light, int pixels) const {
    // Block by block in planes: each loop is simple enough to be vectorised.
    constexpr int kBlock = 64;
    float lightness[kBlock], a[kBlock], b[kBlock], chroma[kBlock], factor[kBlock];
    for (int begin = 0; begin < pixels; begin += kBlock) {
        const int count = std::min(kBlock, pixels - begin);
        float* block = light + 3 * begin;
        for (int i = 0; i < count; ++i) {
            const float red = block[3 * i], green = block[3 * i + 1], blue = block[3 * i + 2];
            const float l = fast_cube_root(row(to_cones_, 0, red, green, blue)),
                        m = fast_cube_root(row(to_cones_, 1, red, green, blue)),
                        s = fast_cube_root(row(to_cones_, 2, red, green, blue));
            lightness[i] = row(to_lab_, 0, l, m, s);
            a[i] = row(to_lab_, 1, l, m, s);
            b[i] = row(to_lab_, 2, l, m, s);
        }
        for (int i = 0; i < count; ++i) chroma[i] = std::sqrt(a[i] * a[i] + b[i] * b[i]);
        for (int i = 0; i < count; ++i)
            factor[i] = saturation_ * (1 + vibrance_ * (1 - smoothstep(chroma[i], 0, kFullChroma)));
        if (by_hue_) {
            float hue[kBlock];
            for (int i = 0; i < count; ++i) hue[i] = fast_direction_deg(b[i], a[i]);
            for (int i = 0; i < count; ++i) {
                const float counts = smoothstep(chroma[i], kGreyChroma, kColourChroma);
                const OfHue& own = hues_[std::clamp(int(hue[i] + 0.5f), 0, kHues)];
                const float cosine = 1 + counts * (own.cosine - 1), sine = counts * own.sine;
                const float turned = a[i] * cosine - b[i] * sine;
                b[i] = a[i] * sine + b[i] * cosine;
                a[i] = turned;
                factor[i] *= 1 + counts * (own.chroma - 1);
                lightness[i] *= 1 + counts * (own.lightness - 1);
            }
        }
        for (int i = 0; i < count; ++i) {
            const float own_a = a[i] * factor[i], own_b = b[i] * factor[i];
            const float l = row(from_roots_, 0, lightness[i], own_a, own_b),
                        m = row(from_roots_, 1, lightness[i], own_a, own_b),
                        s = row(from_roots_, 2, lightness[i], own_a, own_b);
            const float cubes[] = {l * l * l, m * m * m, s * s * s};
            const float red = row(from_cones_, 0, cubes[0], cubes[1], cubes[2]),
                        green = row(from_cones_, 1, cubes[0], cubes[1], cubes[2]),
                        blue = row(from_cones_, 2, cubes[0], cubes[1], cubes[2]);
            // What lies below 0 is drawn to the grey of its luminance.
            const float least = std::min(std::min(red, green), blue);
            const float grey =
                std::max(0.0f, luminance_[0] * red + luminance_[1] * green + luminance_[2] * blue);
            const float share = least < 0 ? grey / (grey - least) : 1.0f;
            block[3 * i] = std::max(0.0f, grey + share * (red - grey));
            block[3 * i + 1] = std::max(0.0f, grey + share * (green - grey));
            block[3 * i + 2] = std::max(0.0f, grey + share * (blue - grey));
        }
    }
}

}  // namespace moorhaze
