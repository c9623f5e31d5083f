// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/merge/frame_stack.h"

namespace moorhaze {

/// Where depths meet: in the frame of the nearest depth around, the near thing is crisp and the far one
/// smooth. The median of depth, weighted by likeness in that frame, lays depth's edge onto the thing's.
/// @param depth  places among the stack's frames, from 0, of the stack's size.
/// @return  by half frames where depths meet, elsewhere as it was.   @throws Cancelled.   Thread-safe.
cv::Mat1f depth_with_edges(const cv::Mat1f& depth, const FrameStack& stack, const Job& job);

}  // namespace moorhaze
