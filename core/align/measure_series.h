// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <memory>

#include "core/align/series_geometry.h"
#include "core/series/frame_shelf.h"

namespace moorhaze {

/// Registers each frame with its neighbour and next neighbour (see register_pair), without what rests on the
/// sensor (see resting_places), and looks for dust on it (see find_sensor_dust).
/// Frames stream: at most six are held at a time, at up to 3200 px; of at most 32 a luma of up to 1600 px
/// stays until dust was looked for (200 MB at 24 megapixels).
/// @param series  frames that are not used are passed over.
/// @param shelf   where decoded frames lie; null: nowhere.
/// @throws Cancelled.   Thread-safe.
Registration measure_series(const Series& series, FrameShelf* shelf, const Job& job);

/// Gives a frame as registration sees it, or nothing and why. Called from several threads.
using ViewLoader = std::function<std::optional<RegistrationView>(int frame, std::string& problem)>;

/// The same for frames that come from elsewhere than files, such as previews.
/// @param used  frames to measure, all in a row; false ones are passed over.
/// @param size  of the frames that `load` gives, px.
Registration measure_frames(const std::vector<bool>& used, cv::Size size, const ViewLoader& load,
                            const Job& job);

/// Where the frames of a series lie, and what was measured to know it.
struct RegisteredSeries {
    std::shared_ptr<const Registration> registration;
    SeriesGeometry geometry;
};

/// Measures the frames that are used, and the reference frame, and places them: the one way for the window
/// and the command line.
/// @param known  measured before, of the same frames in the same order; taken where it holds all that are
///               used, so that placing anew is a matter of moments. May be null.
/// @throws BadParameter for a reference that is not in the series, Cancelled.   Thread-safe.
RegisteredSeries register_series(const Series& series, const PlaceSettings& settings,
                                 std::shared_ptr<const Registration> known, FrameShelf* shelf,
                                 const Job& job);

/// The same with settings as they are by default.
SeriesGeometry register_series(const Series& series, int reference, const Job& job);

}  // namespace moorhaze
