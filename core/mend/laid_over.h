// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/merge/merge.h"

namespace moorhaze {

/// A picture from outside, say the merge after another program's hand or one made elsewhere, as one more
/// result that can be painted from.
struct LaidOver {
    MergeResult result;  ///< depths and sources are the merge's; the area is what both show
    /// How far it had to be moved, px at most: 0 where it fitted as it was, and then its pixels are its own.
    double moved_px = 0;
};

/// A picture that shows what the merge shows is laid over it, to a fraction of a pixel, in the merge's
/// colours at 16 bits. It may be of the merge's size or the reference frame's, a part of either at the same
/// scale, or all of it at another.
/// @param reference_frame  size of the merge's reference frame, px.
/// @return  its transparency is not kept.
/// @throws BadParameter when the picture does not show the same, or its profile is none; Cancelled.
/// Thread-safe; peak memory about two 16-bit pictures and one in linear light.
LaidOver laid_over(const Picture& outside, const MergeResult& merge, cv::Size reference_frame,
                   const Job& job);

}  // namespace moorhaze
