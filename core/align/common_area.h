// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>

#include "core/align/series_geometry.h"

namespace moorhaze {

/// How much of the reference plane a result shows.
enum class KeptArea {
    common,      ///< what all frames cover: nothing is missing anywhere
    reference,   ///< the reference frame's own rectangle: parts may be covered by some frames only
    everything,  ///< all that any frame covers; places that none covers stay transparent
};

/// @throws BadParameter naming the choices: common, reference, everything.
KeptArea kept_area_named(const std::string& name);

/// Where the frame's outermost pixel centres lie in the reference plane: top left, top right, bottom right,
/// bottom left.
std::vector<cv::Point2d> frame_outline(const FrameGeometry& frame, cv::Size frame_size);

/// The largest upright rectangle of whole pixels within the outlines of all the given frames, in reference
/// pixels; empty if they share none. Exact for turned and slightly perspective frames too.
PixelRect common_area(const SeriesGeometry& geometry, const std::vector<int>& frames, cv::Size frame_size);

/// The area of a result; `common` never reaches beyond the reference frame. Frames that are not registered
/// don't count.   @return empty when nothing is left.
PixelRect kept_area(const SeriesGeometry& geometry, const std::vector<int>& frames, cv::Size frame_size,
                    KeptArea kept);

}  // namespace moorhaze
