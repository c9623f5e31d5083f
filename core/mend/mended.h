#pragma once
#include "core/mend/strokes.h"
#include "core/merge/frame_source.h"
#include "core/merge/merge.h"

namespace moorhaze {

/// A merge with what was painted on it: what is shown, and what is delivered.
/// @param source  of the series and geometry that the merge was made from.
/// @param area    of the reference plane; what of it lies in the merge is made.
/// @return        16 bit, in the merge's profile, with its transparency.
/// @throws FileError, BadParameter for a stroke from a frame that the source has not, Cancelled.
/// Thread-safe.
Picture mended(const MergeResult& merge, const SharedList<Stroke>& strokes, const FrameSource& source,
               PixelRect area, const Job& job);

}  // namespace moorhaze
