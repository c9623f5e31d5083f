// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/picture/tone_curve.h"
#include "core/work/job.h"

namespace moorhaze {

/// Linear light averaged over squares: place (u, v) holds the mean of pixels from (u·side, v·side) on; the
/// last column and row of squares are as narrow as the picture leaves them.
/// @param picture  16 bit.   @param side  px, >= 1.
/// @throws Cancelled.   Thread-safe; peak memory 1 output.
cv::Mat3f block_means(const Picture& picture, const ToneCurve& curve, int side, const Job& job);

}  // namespace moorhaze
