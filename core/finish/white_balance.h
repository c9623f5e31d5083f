// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/finish/finish.h"
#include "core/picture/colour_space.h"

namespace moorhaze {

/// Linear light of a colour space to the same light as it would be under another white: what was grey under
/// light of that warmth and tint becomes grey. The identity where warmth and violet are neutral.
/// Sources: the white of a warmth is the Planckian radiator by Krystek's approximation in CIE 1960 (u, v)
/// (Color Res. Appl. 10(1), 1985; its numbers are from memory, checked against standard illuminant A); the
/// adaptation is Bradford's (ICC.1:2010, annex E).
/// @throws BadParameter outside the ranges of Light.   Thread-safe.
cv::Matx33d white_balance(const Light& light, const ColourSpace& space);

/// CIE 1931 (x, y) of the Planckian radiator, 1000..15000 K.
cv::Vec2d planckian_xy(double kelvin);

/// Warmth and violet under which a colour becomes grey, the nearest there are; the rest of `light` stays.
/// @param linear  of the picked place.   @throws BadParameter where it is too dark to tell.   Thread-safe.
Light with_grey_at(Light light, const cv::Vec3d& linear, const ColourSpace& space);

}  // namespace moorhaze
