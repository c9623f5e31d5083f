// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <algorithm>
#include <optional>
#include <string>
#include <vector>

#include "core/focus/focus_profile.h"

namespace moorhaze {

/// How the frames of a series, as they stand, run through the depth.
enum class FocusOrder {
    near_to_far,
    far_to_near,
    two_passes,     ///< once through and again, or there and back
    reversed_part,  ///< a run of frames stands the wrong way round
    mixed,          ///< neither
    unknown         ///< too little to tell
};

/// For JSON and the like: "near-to-far".
const char* name_of(FocusOrder order);

struct OrderReport {
    FocusOrder order = FocusOrder::unknown;
    std::string reason;            ///< in words; what was seen, and by what the direction is known
    bool direction_known = false;  ///< false: frames may as well run the other way
    int first = 0, last = 0;       ///< the reversed part, or the second pass; indices from 0
    std::vector<int>
        near_to_far;  ///< indices of all frames as they should stand; as they are where that is right
    std::vector<double> depth;  ///< per frame, as it stands: mm of focus distance where all tell it, else in
                                ///< usual steps from the nearest frame
    bool depth_in_mm = false;
    /// True when the frames should stand otherwise; files that were turned round already should not.
    bool needs_repair() const { return !std::is_sorted(near_to_far.begin(), near_to_far.end()); }
};

/// Tells the order from focus distances where every frame has one and they differ; else from what is sharp:
/// frames are laid in a row so that neighbours share most of it (spectral seriation). Which end is near the
/// pictures alone don't tell, and then frames count as shot from near to far.
/// On a rail the picture grows as the camera moves on, which tells the direction surely.
/// @param growth    of a rail series from first to last frame (growth_along()); nothing for other series.
/// @param profiles  one per frame as it stands; empty ones, and frames where nothing is sharp, keep their
/// place
///                  beside the frame before.
/// Source: Atkins, Boman, Hendrickson, "A Spectral Algorithm for Seriation and the Consecutive Ones Problem",
/// SIAM J. Comput. 28(1), 1998.   Thread-safe.
OrderReport find_order(const Series& series, const std::vector<FocusProfile>& profiles,
                       const SeriesProfile& whole, std::optional<double> growth);

}  // namespace moorhaze
