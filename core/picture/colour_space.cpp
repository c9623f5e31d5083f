// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/picture/colour_space.h"

#include <cmath>

#include "core/picture/profile_handle.h"

namespace moorhaze {
namespace {

/// The primaries' XYZ as columns; nothing where a profile has none or they are not independent.
bool read_primaries(void* profile, cv::Matx33d& to_xyz) {
    static const cmsTagSignature tags[] = {cmsSigRedColorantTag, cmsSigGreenColorantTag,
                                           cmsSigBlueColorantTag};
    if (!profile || cmsGetColorSpace(profile) != cmsSigRgbData) return false;
    for (int channel = 0; channel < 3; ++channel) {
        const auto* colour = static_cast<const cmsCIEXYZ*>(cmsReadTag(profile, tags[channel]));
        if (!colour) return false;
        to_xyz(0, channel) = colour->X, to_xyz(1, channel) = colour->Y, to_xyz(2, channel) = colour->Z;
    }
    return std::abs(cv::determinant(to_xyz)) > 1e-6;
}

}  // namespace

ColourSpace colour_space_of(const ColourProfile& profile) {
    ColourSpace space;
    if (!read_primaries(open_profile(profile).get(), space.to_xyz))
        read_primaries(open_profile({}).get(), space.to_xyz);
    space.from_xyz = space.to_xyz.inv();
    return space;
}

const ColourProfile& op_rgb_profile() {
    static const ColourProfile profile = profile_of(
        "opRGB", {{0.64, 0.33, 1}, {0.21, 0.71, 1}, {0.15, 0.06, 1}}, cmsBuildGamma(nullptr, 563.0 / 256));
    return profile;
}

const ColourProfile& srgb_profile() {
    static const ColourProfile profile =
        profile_of("sRGB", {{0.64, 0.33, 1}, {0.30, 0.60, 1}, {0.15, 0.06, 1}}, srgb_curve());
    return profile;
}

cv::Vec3d lab_of(const cv::Vec3d& xyz) {
    auto root = [](double share) {
        constexpr double kDelta = 6.0 / 29;
        return share > kDelta * kDelta * kDelta ? std::cbrt(share) : share / (3 * kDelta * kDelta) + 4.0 / 29;
    };
    const double x = root(xyz[0] / kD50[0]), y = root(xyz[1] / kD50[1]), z = root(xyz[2] / kD50[2]);
    return {116 * y - 16, 500 * (x - y), 200 * (y - z)};
}

cv::Matx33d bradford_cones() {
    return {0.8951, 0.2664, -0.1614, -0.7502, 1.7135, 0.0367, 0.0389, -0.0685, 1.0296};
}

cv::Matx33d oklab_cones_of_xyz() {
    const cv::Vec3d d65{0.95047, 1, 1.08883};  // ASTM E308, CIE 1931 observer
    const cv::Vec3d from = bradford_cones() * cv::Vec3d(kD50[0], kD50[1], kD50[2]),
                    to = bradford_cones() * d65;
    const cv::Matx33d adapted =
        bradford_cones().inv() *
        cv::Matx33d::diag(cv::Vec3d(to[0] / from[0], to[1] / from[1], to[2] / from[2])) * bradford_cones();
    const cv::Matx33d cones{0.8189330101, 0.3618667424, -0.1288597137, 0.0329845436, 0.9293118715,
                            0.0361456387, 0.0482003018, 0.2643662691,  0.6338517070};
    // The published numbers are rounded: their rows are scaled so that grey is exactly grey.
    const cv::Vec3d white = cones * adapted * cv::Vec3d(kD50[0], kD50[1], kD50[2]);
    return cv::Matx33d::diag(cv::Vec3d(1 / white[0], 1 / white[1], 1 / white[2])) * cones * adapted;
}

cv::Matx33d oklab_of_cone_roots() {
    return {0.2104542553, 0.7936177850, -0.0040720468, 1.9779984951, -2.4285922050,
            0.4505937099, 0.0259040371, 0.7827717662,  -0.8086757660};
}

double tone_of_light(double linear) {
    const double held = std::max(linear, 0.0);
    return held <= 0.0031308 ? 12.92 * held : 1.055 * std::pow(held, 1 / 2.4) - 0.055;
}

double light_of_tone(double tone) {
    return tone <= 0.04045 ? std::max(tone, 0.0) / 12.92 : std::pow((tone + 0.055) / 1.055, 2.4);
}

}  // namespace moorhaze
