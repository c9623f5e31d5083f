// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <opencv2/core.hpp>

#include "core/work/job.h"

namespace moorhaze {

/// Sum of absolute second differences across and down.
/// @param luma     H×W float, perceptual scale (see picture/luma.h).
/// @param step_px  Distance to each neighbour, ≥ 1 px.
/// @return         H×W float, ≥ 0, luma units; borders mirrored (edge not repeated).
/// @throws BadParameter, Cancelled.   Thread-safe; peak memory 1 output.
/// Source: Nayar & Nakagawa, "Shape from Focus", IEEE PAMI 16(8), 1994.
cv::Mat1f modified_laplacian(const cv::Mat1f& luma, int step_px, const Job& job);

}  // namespace moorhaze
