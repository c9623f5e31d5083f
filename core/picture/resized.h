// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/picture/tone_curve.h"
#include "core/work/job.h"

namespace moorhaze {

/// The picture at another size, resampled in linear light. Smaller: a Lanczos kernel of three lobes as wide
/// as the pixels that are made, held within the range of the pixels in its middle lobe, so that no rims arise
/// beside edges; larger: the same between the picture's own pixels, within the range of all that it weighs.
/// Edges are repeated; transparency is resampled with its colours weighted by it. Source of the kernel:
/// Duchon, "Lanczos Filtering in One and Two Dimensions", J. Appl. Meteor. 18, 1979.
/// @param size  ≥ 1 px each way.   @return  16 bit, the picture's profile.
/// @throws BadParameter, Cancelled.   Thread-safe; peak memory 1 output and one picture of the new width and
/// the old height in single precision.
Picture resized(const Picture& picture, cv::Size size, const Job& job);

}  // namespace moorhaze
