// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/merge/merge.h"

namespace moorhaze {

/// Pyramid merge: a Laplacian pyramid of linear light, at each size and place from the frame whose detail is
/// strongest in perceptual luma (so that the choice is made as the eye sees it), the two finest sizes with
/// what the next coarser ones hold; the coarsest size is the mean weighted by the detail just above it. One
/// pass. Peak memory at W×H: about 20 float planes.
/// @throws BadParameter, FileError when no frame can be read, Cancelled.
/// Source: Burt & Kolczynski, "Enhanced Image Capture through Fusion", ICCV 1993 (choice by local energy).
MergeResult pyramid_merge(AlignedFrames& frames, const MergeSettings& settings, const MergeContext& context,
                          const Job& job);

}  // namespace moorhaze
