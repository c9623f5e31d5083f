// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/focus/focus_profile.h"

namespace moorhaze {

/// How unlike two frames are in what is sharp, hand shake taken off: 0 alike .. 1 nothing in common; -1 when
/// one holds nothing.   Thread-safe.
/// @param places  of the same frames, from frame_places().
double dissimilarity(const std::vector<FocusProfile>& profiles, const std::vector<cv::Point2d>& places,
                     int one, int other);

/// The median of the known values (≥ 0) next to a place, without its own; -1 if there are fewer than two.
double usual_around(const std::vector<double>& values, int place, int reach);

}  // namespace moorhaze
