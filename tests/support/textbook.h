// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/series/series.h"

namespace moorhaze::test {

/// A whole series in the reference frame's plane, aligned as a textbook would: each frame onto its neighbour
/// by the library's ECC with an affine model, the maps chained to the reference, linear interpolation.
/// Source: Evangelidis & Psarakis, "Parametric Image Alignment Using Enhanced Correlation Coefficient
/// Maximization", IEEE PAMI 30(10), 2008 (OpenCV's findTransformECC).
struct TextbookFrames {
    std::vector<cv::Mat3f> pixels;   ///< encoded values 0..1
    std::vector<cv::Mat1b> covered;  ///< 255 where the frame has pixels
};
TextbookFrames textbook_frames(const Series& series, int reference);

// The plain methods; each gives encoded values 0..1 in the reference frame's size.

/// Mean weighted by the square of the Laplacian, gathered with a Gaussian of 2 px.
cv::Mat3f sharpness_weighted_mean(const TextbookFrames& frames);

/// For each pixel the frame with the largest modified Laplacian, gathered over a window of 9 px. Nothing is
/// interpolated, filled or smoothed. Source: Nayar & Nakagawa, "Shape from Focus", IEEE PAMI 16(8), 1994.
cv::Mat3f largest_laplacian_choice(const TextbookFrames& frames);

/// Laplacian pyramid, at each size the detail of largest energy in a window of 5 px, the rest the mean.
/// Source: Burt & Kolczynski, "Enhanced Image Capture through Fusion", ICCV 1993.
cv::Mat3f largest_energy_pyramid(const TextbookFrames& frames);

/// What a choice of single frames can reach at most: for each pixel, of the truly aligned frames, the one
/// nearest to the truth in a Gaussian window of 1 px. Luma, encoded values.
/// @param lumas    luma of each frame laid over the truth;  @param covered  255 where it has pixels.
cv::Mat1f best_frame_choice(const std::vector<cv::Mat1f>& lumas, const std::vector<cv::Mat1b>& covered,
                            const cv::Mat1f& truth);

}  // namespace moorhaze::test
