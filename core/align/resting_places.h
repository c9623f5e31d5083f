// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "core/align/solve_series.h"

namespace moorhaze {

/// Finds places of the sensor where frame after frame shows detail that rests while the picture moves there:
/// dust, and whatever else lies before the sensor. Pairs that are laid through it, too, come out nearer to no
/// movement than they are, the more so the less detail the subject has.
/// @param pairs  with their spots and the maps that were laid through them so far.
/// @return  those of each level.   Thread-safe.
std::vector<RestingPlace> resting_places(const std::vector<MeasuredPair>& pairs);

}  // namespace moorhaze
