#pragma once
#include "core/finish/finish.h"
#include "core/work/job.h"

namespace moorhaze {

/// Colour noise and sharpening of linear light, in place. First blotches of colour are evened out: what
/// differs from grey follows the luminance around (guided filter: He, Sun & Tang, IEEE PAMI 35(6), 2013).
/// Then luminance is sharpened by its difference from a Gaussian blur, on a square-root scale; colour keeps
/// its proportions.
/// @param scale  picture pixels per pixel of `light`: lengths shrink with it.
/// Borders are mirrored: hand over detail_border() more on each side than is wanted.
/// @throws Cancelled.   Thread-safe; peak memory 2 inputs.
void refine_detail(cv::Mat3f& light, const Detail& detail, double scale, const Job& job);

/// How far it reaches, in pixels of `light`.
int detail_border(const Detail& detail, double scale);

}  // namespace moorhaze
