// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>

#include "core/focus/focus_profile.h"
#include "core/focus/profile_cache.h"

namespace moorhaze {

struct ProfiledFrames {
    std::vector<FocusProfile> profiles;     ///< one per frame; empty for unreadable ones
    std::vector<std::string> content_keys;  ///< one per frame; empty where there is no cache to ask
    std::vector<FrameProblem> problems;     ///< in the frames' order
};

/// Looks at every frame of a series, as many at a time as there are processors; memory goes with that, not
/// with the number of frames.
/// @param cache    where earlier looks are found and new ones kept; null for none.
/// @param shelf    where decoded frames lie; null: nowhere.
/// @param on_look  called for each frame as it is done: from any thread, in any order, perhaps several at
/// once.
///                 May be empty.
/// @throws Cancelled.   Thread-safe.
ProfiledFrames profile_frames(const Series& series, const ProfileCache* cache, FrameShelf* shelf,
                              const std::function<void(int frame, const FrameLook&)>& on_look,
                              const Job& job);

}  // namespace moorhaze
