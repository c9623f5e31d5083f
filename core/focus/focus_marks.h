// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <opencv2/core.hpp>

#include "core/work/job.h"

namespace moorhaze {

/// Where a picture is sharp: fine contrast that stands out from the picture's own noise.
/// @param picture  8-bit RGB, as shown.
/// @param reach    0..1: how much of what is nearly sharp is marked too.
/// @return         0 or 255 of the same size.   Thread-safe. @throws Cancelled.
cv::Mat1b focus_marks(const cv::Mat3b& picture, double reach, const Job& job);

}  // namespace moorhaze
