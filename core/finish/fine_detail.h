// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/finish/finish.h"
#include "core/work/job.h"

namespace moorhaze {

/// Sharpens linear light, in place, everywhere or where it was painted: luminance by its difference from a
/// Gaussian blur, on a square-root scale; colour keeps its proportions.
/// @param place  pixels of the level that `light` covers;  @param to_level  reference pixels to those.
/// @param scale  picture pixels per pixel of `light`: lengths shrink with it.
/// Borders are mirrored: hand over sharpening_border() more on each side than is wanted.
/// @throws Cancelled.   Thread-safe; peak memory 2 inputs.
void sharpen_detail(cv::Mat3f& light, const Detail& detail, PixelRect place, const cv::Matx33d& to_level,
                    double scale, const Job& job);

/// How far it reaches, in pixels of `light`.
int sharpening_border(const Detail& detail, double scale);

}  // namespace moorhaze
