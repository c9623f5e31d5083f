#pragma once
#include "core/merge/aligned_frames.h"

namespace moorhaze::test {

/// The plain textbook choice: for each pixel the frame with the largest modified Laplacian, gathered over a
/// window of 9 px, of luma. Nothing is interpolated, filled or smoothed. Source: Nayar & Nakagawa, "Shape
/// from Focus", IEEE PAMI 16(8), 1994.
Picture largest_laplacian_choice(AlignedFrames& frames);

}  // namespace moorhaze::test
