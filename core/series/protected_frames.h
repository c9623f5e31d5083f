// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/files/protected_files.h"
#include "core/series/series.h"

namespace moorhaze {

/// The files of a series' frames: held while something that was made of them is written.
inline ProtectedFiles protected_frames(const Series& series) {
    std::vector<std::filesystem::path> files;
    for (const Frame& frame : series.frames) files.push_back(frame.path);
    return ProtectedFiles(files);
}

}  // namespace moorhaze
