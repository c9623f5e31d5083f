// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/merge/merge.h"

namespace moorhaze {

/// Depth-map merge. First pass: depth and trust (FocusDepth); places below the trust floor get the depth
/// around them, or the backdrop's frame. Second pass: each place from the two frames next to its depth. Peak
/// memory at W×H: about 55 bytes a pixel.
/// @throws BadParameter, FileError when no frame can be read, Cancelled.
MergeResult depth_merge(AlignedFrames& frames, const MergeSettings& settings, const MergeContext& context,
                        const Job& job);

}  // namespace moorhaze
