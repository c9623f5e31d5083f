// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/merge/frame_stack.h"

namespace moorhaze {

/// How much the radius of the disc that blur makes of a point grows from frame to frame, measured in the
/// frames themselves: textured places of one trusted depth, spread by discs of several sizes, are compared
/// with what frames some steps away show of them. What most of them agree on is the answer; few stray ones
/// change nothing.
/// @param merged  linear light, of the stack's size;  @param depth  places of frames from 0.
/// @param trust   0..1.
/// @return        px of the stack; 0 where it cannot be told.
/// @throws Cancelled.   Thread-safe; the same for any number of threads.
float growth_of_blur(const cv::Mat3f& merged, const cv::Mat1f& depth, const cv::Mat1f& trust,
                     const FrameStack& stack, const Job& job);

}  // namespace moorhaze
