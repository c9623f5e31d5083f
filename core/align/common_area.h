#pragma once
#include "core/align/series_geometry.h"

namespace moorhaze {

/// The largest upright rectangle that all the given frames cover, in reference pixels; empty if they share
/// none.
PixelRect common_area(const SeriesGeometry& geometry, const std::vector<int>& frames, cv::Size frame_size);

}  // namespace moorhaze
