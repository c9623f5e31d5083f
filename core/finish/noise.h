// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/finish/finish.h"
#include "core/picture/tone_curve.h"
#include "core/work/job.h"

namespace moorhaze {

/// Takes noise out of linear light, in place. Luminance: on a square-root scale, where noise of light is
/// about even, blocks of 8×8 are taken apart by a cosine transform, at every second place; what stands out of
/// the noise by less than about three times is left out, and the blocks that overlap are averaged. Colour:
/// what differs from grey follows the luminance around.
/// @param corner  pixel of the level that `light` begins at: blocks lie alike however a picture is cut.
/// @param scale   picture pixels per pixel of `light`; noise of smaller pictures is smaller.
/// Hand over noise_border() more on each side than is wanted, as far as there is picture.
/// @throws Cancelled.   Thread-safe; peak memory 2 inputs.
/// Sources: Yu & Sapiro, "DCT image denoising: a simple and effective image denoising algorithm", Image
/// Processing On Line 1, 2011; for colour: He, Sun & Tang, "Guided Image Filtering", IEEE PAMI 35(6), 2013.
void reduce_noise(cv::Mat3f& light, const Detail& detail, cv::Point corner, double scale, const Job& job);

/// How far it reaches, in pixels of `light`.
int noise_border(const Detail& detail, double scale);

/// The noise that a picture has where it is quiet: standard deviation of its luma (see luma.h), as
/// Detail::noise counts it, at most what that may be; 0 where all is black, clipped or too small to tell.
/// Source: Immerkær, "Fast Noise Variance Estimation", CVIU 64(2), 1996, tile by tile.
double noise_of(const Picture& picture, const ToneCurve& curve, const Job& job);

}  // namespace moorhaze
