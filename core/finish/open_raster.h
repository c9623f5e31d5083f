// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <functional>
#include <string>

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

/// Gives the layers of a file one after the other, the lowest first, so that one is held at a time.
using TakeLayer = std::function<void(const RasterLayer&)>;
using LayerSource = std::function<void(const TakeLayer& take, const Job& job)>;

/// Writes an OpenRaster file (Create project, freedesktop.org, version 0.0.3): layers as PNG from the lowest
/// to the highest, the whole picture as merged image, and a thumbnail of at most 256 px. Beside the target,
/// then renamed.
/// @param layers  at least one; of the same profile as `merged`. Readers take sRGB.
/// @param bits    of all PNGs, 8 or 16.
/// @throws FileError, BadParameter without layers, Cancelled, and what `layers` throws.   Thread-safe for
/// different files; peak memory one layer beside `merged`.
void write_open_raster(const std::filesystem::path& file, const Picture& merged, const LayerSource& layers,
                       int bits, bool overwrite, const Job& job);

}  // namespace moorhaze
