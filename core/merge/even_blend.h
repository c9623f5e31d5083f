// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/merge/merge.h"

namespace moorhaze {

/// Mean of all frames weighted by the square of their sharpness: no seams at all. One pass.
/// Peak memory: 2 float planes and 3 linear pictures.
/// @throws BadParameter, FileError when no frame can be read, Cancelled.
MergeResult even_blend(AlignedFrames& frames, const MergeSettings& settings, const MergeContext& context,
                       const Job& job);

}  // namespace moorhaze
