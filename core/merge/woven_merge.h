// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/merge/merge.h"

namespace moorhaze {

/// Woven merge: depth map and pyramid in one. The first pass finds at each place and detail size how sharp
/// the frames are: from that a depth map, and the range of depths that meet around each place. The second
/// pass adds up Laplacian pyramids of linear light, each detail weighted by its frame's sharpness among the
/// frames of that range: where one depth is all there is these are the frames next to it, as in a depth-map
/// merge; where several lie over each other the strongest detail of them, as in a pyramid merge; where
/// nothing is sharp the frames of the depth around count alike, and under the grain guard more frames beside
/// them in fine detail where that is nothing but noise in every one, so that noise is averaged. Where no
/// depths meet, light coarser than the fine detail is that of the frames next to the depth: a pyramid would
/// carry some over from other depths. Two passes; in the second a frame is warped only where it contributes
/// (FrameDetail). Peak memory at W×H: about 75 bytes a pixel, whatever the number of frames but for small
/// pictures of all. @throws BadParameter, FileError when no frame can be read, Cancelled. Sources: Burt &
/// Adelson, "A Multiresolution Spline With Application to Image Mosaics", ACM Trans. Graphics 2(4), 1983
/// (weights by detail size); Burt & Kolczynski, ICCV 1993 (choice by local energy).
MergeResult woven_merge(AlignedFrames& frames, const MergeSettings& settings, const MergeContext& context,
                        const Job& job);

}  // namespace moorhaze
