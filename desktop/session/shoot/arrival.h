// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/focus/frame_faults.h"
#include "core/series/series.h"

namespace moorhaze::desktop {

/// A frame that was shot or found, with all that is known of the frames then.
struct Arrival {
    Frame frame;
    FocusProfile profile;
    SeriesProfile whole;
    std::vector<FrameFlag> at_once;  ///< what it shows by itself; of frames shot again nothing
};

/// Looks at a file that has just been written.
/// @param before  profiles of the frames before it.
/// @param place   of the frame, from 0; one that is there already was shot again.
/// @throws FileError when it cannot be read, Cancelled.   Thread-safe.
Arrival arrival_of(const std::filesystem::path& file, std::vector<FocusProfile> before, int place,
                   const Job& job);

}  // namespace moorhaze::desktop
