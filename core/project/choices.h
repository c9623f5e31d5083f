// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>
#include <string>
#include <vector>

#include "core/align/common_area.h"
#include "core/merge/merge.h"

/// What is decided about aligning and merging one series. All values; a method's name must be one of
/// merge_methods().
namespace moorhaze {

/// The same detail shown in two frames by hand; frame pixels.
struct PointPair {
    FrameId one, other;
    cv::Point2d in_one, in_other;
    bool operator==(const PointPair&) const = default;
};

/// How frames are warped to the reference frame.
struct Placing {
    bool as_they_lie = false;  ///< nothing is measured and nothing moved
    PlaneModel model = PlaneModel::automatic;
    Unplaced unplaced = Unplaced::leave_out;
    Levelling levelling = Levelling::automatic;
    bool mend_dust = true;  ///< of the sensor, as far as it is found
    std::vector<PointPair> points;
    bool operator==(const Placing&) const = default;
};

/// How the sharp parts are put together.
struct MergeChoice {
    std::string method = merge_methods()[0].name;
    MergeSettings settings;           ///< without the backdrop's frame, which is a number there
    std::optional<FrameId> backdrop;  ///< the frame that fills what is never sharp; none: the depth around
    bool operator==(const MergeChoice&) const = default;
};

}  // namespace moorhaze
