#pragma once
#include <functional>

#include "core/align/series_geometry.h"

namespace moorhaze {

/// Registers each frame with its neighbour and next neighbour (see register_pair).
/// Frames stream: at most six are held at a time, at up to 3200 px.
/// @param series  frames that are not used are passed over.
/// @throws Cancelled.   Thread-safe.
Registration measure_series(const Series& series, const Job& job);

/// Gives a frame as registration sees it, or nothing and why. Called from several threads.
using ViewLoader = std::function<std::optional<RegistrationView>(int frame, std::string& problem)>;

/// The same for frames that come from elsewhere than files, such as previews.
/// @param used  frames to measure, all in a row; false ones are passed over.
/// @param size  of the frames that `load` gives, px.
Registration measure_frames(const std::vector<bool>& used, cv::Size size, const ViewLoader& load,
                            const Job& job);

/// Measures and places: what most callers want.
SeriesGeometry register_series(const Series& series, int reference, const Job& job);

/// How much larger the last view shows things than the first, as a natural logarithm; see growth_along.
/// @param views  luma on a square-root scale; empty ones are passed over.   Thread-safe.
std::optional<double> growth_of(const std::vector<cv::Mat1f>& views, const Job& job);

}  // namespace moorhaze
