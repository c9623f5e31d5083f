// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/align/dust_comparison.h"
#include "core/picture/dust_spot.h"

namespace moorhaze {

/// Long side that the search works at, at most; and frames that are enough for it.
inline constexpr int kDustSide = 1600, kDustFrames = 32;

/// Finds the shadows of dust on the sensor. Each frame is compared with those before and behind it, laid over
/// it: what belongs to the subject cancels, and what stays at its place on the sensor does not, as far as the
/// picture moved on it. Only spots are given that are round, alike in both halves of the series and where
/// the picture moved by a good part of their radius; where nothing moves, dust and subject cannot be told
/// apart, and none is found.
/// @param views  near to far, all of one size; at most kDustFrames of them.
/// @return  in pixels of the views, deepest first; empty for less than 7 views.
/// @throws Cancelled.   Thread-safe; memory about 25 planes of a view beside the views.
/// Source of the principle, a pattern told from moved pictures alone: Kuhn, Lin & Loranz, "Gain calibrating
/// nonuniform image-array data using only the image data", PASP 103, 1991 (from memory).
std::vector<DustSpot> find_sensor_dust(const std::vector<DustView>& views, const Job& job);

}  // namespace moorhaze
