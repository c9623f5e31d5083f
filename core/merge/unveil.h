// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/merge/merge.h"

namespace moorhaze {

/// Takes the blur of near things off what lies behind them. Where a near thing stands before a far one, its
/// defocused disc veils the far one in every frame that has it sharp, and no choice of frames can help: such
/// a frame shows V + T B, B the far thing itself, T the part of the lens that the near one leaves free, V its
/// light. Both follow from the merge: layers of its depth, each spread by the disc that it has in that frame.
/// B is found by least squares over the frames next to the place's depth. A place is changed only where all
/// frames, rendered from the changed picture, come out nearer to what was shot, mostly in those that did not
/// make the place; parts that moved, clipped light and what is hidden in every frame stay as they are. How
/// fast blur grows from frame to frame is measured in the frames themselves; where it cannot be, nothing is
/// changed (see blur_growth.h). Clipped highlights stay as they are, too, and so does what comes out darker
/// than black: there the layers are not those of the scene. It errs a little where the depth map lost hairs.
/// Works at a reduced size on large pictures, where discs are large; B at full size.
/// @param result  of these frames, over their target; a merge with a depth map.
/// @return  itself with other pixels, and MadeBy::unveiled where they differ.
/// @throws Cancelled.   The same pixels for any number of threads; peak memory unveiling_bytes() of its
/// target.
MergeResult unveiled(MergeResult result, AlignedFrames& frames, const Job& job);

/// What that takes beside the result, at most.
double unveiling_bytes(cv::Size target, int frames);

}  // namespace moorhaze
