// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/picture/picture.h"

namespace moorhaze {

/// How linear light of a profile's primaries stands to CIE colour. XYZ is relative to D50, as in the profile
/// connection space of ICC.1.
struct ColourSpace {
    cv::Matx33d to_xyz, from_xyz;
};

/// A profile without primaries (tables, not RGB) is treated as sRGB, as in ToneCurve.   Thread-safe.
ColourSpace colour_space_of(const ColourProfile& profile);

inline constexpr double kD50[] = {0.9642, 1.0, 0.8249};  ///< ICC.1:2010, 7.2.16

/// The colours that cameras mark as R03 in Exif: IEC 61966-2-5:2007, opRGB: red 0.64 0.33, green 0.21 0.71,
/// blue 0.15 0.06, white D65, and the power 563/256.
const ColourProfile& op_rgb_profile();

/// sRGB (IEC 61966-2-1) in the bytes that go into files: a file without a profile is read in many ways.
/// Within the program sRGB is the empty profile. Always the same bytes.
const ColourProfile& srgb_profile();

/// CIE 1976 L*a*b* of XYZ relative to D50. Source: CIE 15:2004, 8.2.1.
cv::Vec3d lab_of(const cv::Vec3d& xyz);

/// XYZ relative to D50 to the cone responses that Oklab takes the cube root of, and from their cube roots to
/// lightness, green to red, blue to yellow. Source: Ottosson, "A perceptual color space for image
/// processing", 2020; the way from D50 to D65 is Bradford's (ICC.1:2010, annex E).
cv::Matx33d oklab_cones_of_xyz();
cv::Matx33d oklab_of_cone_roots();

/// XYZ to the cone responses of Bradford's adaptation. Source: ICC.1:2010, annex E.
cv::Matx33d bradford_cones();

/// The tone scale: the transfer function of sRGB (IEC 61966-2-1), whatever the picture's profile.
double tone_of_light(double linear);
double light_of_tone(double tone);

}  // namespace moorhaze
