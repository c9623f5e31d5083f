// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/picture/picture.h"
#include "core/work/job.h"

namespace moorhaze::desktop {

/// Paints over a picture, in violet, what is sharp in it.
/// @param picture  8 bit per sample; changed in place.
/// @param reach    0..1: how much of what is nearly sharp is marked too.   @throws Cancelled.
void paint_sharp_marks(cv::Mat3b& picture, double reach, const Job& job);

}  // namespace moorhaze::desktop
