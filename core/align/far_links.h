// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "core/align/series_geometry.h"

namespace moorhaze {

/// A frame at a reduced size.
struct SmallFrame {
    int index = 0;      ///< in its series
    cv::Mat1f luma;     ///< on a square-root scale, 0..1; all of one size
    double scale = 1;   ///< frame pixels per pixel of luma
    double offset = 0;  ///< pixel x of luma lies at frame pixel x · scale + offset
};

/// Ties each frame to those far from it, so that small errors of neighbours don't add up along the series.
/// What is sharp in one frame and blurred in another can't be compared as it is; but where a place has one
/// depth, it is known how blurred: the sharpest of each place, laid into one picture by the geometry so far
/// and spread by the disc that it has in a frame, is what that frame should show, and how far it lies from it
/// says how both frames lie to each other. How fast discs grow from frame to frame is taken from what
/// explains most places best; where that cannot be told there are no links.
/// @param frames    near to far, evenly spread over the series.
/// @param geometry  of the series so far: all frames given are registered.
/// @return  pairs of frames far from each other, with what they say about the geometry given.
/// @throws Cancelled.   Thread-safe; memory about 35 planes of 1000 px for 32 frames; the same for any number
/// of threads.
std::vector<MeasuredPair> far_links(const std::vector<SmallFrame>& frames, const SeriesGeometry& geometry,
                                    const Job& job);

}  // namespace moorhaze
