// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>

namespace moorhaze::test {

/// Debian's own Python: the one that python3-skimage is installed for.
inline const char* const kPython = "/usr/bin/python3";

/// Pictures that come with Debian's package python3-skimage.
inline std::filesystem::path skimage_folder() {
    return "/usr/lib/python3/dist-packages/skimage";
}

/// What tools/outside-data fetched.
inline std::filesystem::path outside_folder() {
    return MOORHAZE_OUTSIDE_DATA;
}

}  // namespace moorhaze::test
