// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/files/raw.h"

namespace moorhaze {

/// Writes a developed picture as a linear DNG: its light in the camera's own colours, white balance and
/// exposure taken off and noted instead, so that any raw developer can choose them anew. With a preview, and
/// upright. Beside the target, then renamed. Source: the DNG specification, 1.4.0.0 (photometric
/// interpretation LinearRaw).
/// @param picture    16 bit, in working_profile(); developed as `rendering` says, merged and mended since.
/// @param preview    8 bit sRGB, at most some 1000 px; how the picture looks.
/// @param said       its resolution and colours are said otherwise in a DNG, and not looked at.
/// @throws FileError, BadParameter for a picture of another profile; Cancelled.   Thread-safe for different
/// files.
void write_linear_dng(const std::filesystem::path& file, const Picture& picture,
                      const RawRendering& rendering, const Picture& preview, SaidInFile said, bool overwrite,
                      const Job& job);

}  // namespace moorhaze
