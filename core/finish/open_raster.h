// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <string>
#include <vector>

#include "core/picture/picture.h"
#include "core/work/job.h"

namespace moorhaze {

/// One layer of a layered file, opaque where it has no alpha.
struct RasterLayer {
    std::string name;
    Picture picture;
    cv::Point corner;  ///< in the file's canvas, px
    bool is_visible = true;
};

/// Writes an OpenRaster file (Create project, freedesktop.org, version 0.0.3): layers as PNG from the lowest
/// to the highest, the whole picture as merged image, and a thumbnail of at most 256 px. Beside the target,
/// then renamed.
/// @param layers  the lowest first; each with the same profile as `merged`, in that of most readers: sRGB.
/// @param bits    of all PNGs, 8 or 16.
/// @throws FileError, BadParameter without layers, Cancelled.   Thread-safe for different files.
void write_open_raster(const std::filesystem::path& file, const Picture& merged,
                       const std::vector<RasterLayer>& layers, int bits, bool overwrite, const Job& job);

}  // namespace moorhaze
