// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/series/series.h"

namespace moorhaze {

/// What differs between the frames of one series and should not, each in one sentence with the frames'
/// numbers: exposure, f-number, ISO, focal length, camera, bit depth, kind of file, white balance noted by
/// raw files. Empty for a series that is all alike.   Thread-safe.
/// @param colours  names of the frames' colour profiles (FocusProfile::colours), or none.
std::vector<std::string> mixed_settings(const Series& series, const std::vector<std::string>& colours);

/// Frame numbers for people: "frame 3", "frames 3, 5 to 9".  Indices from 0, rising.
std::string frame_list(const std::vector<int>& frames);

}  // namespace moorhaze
