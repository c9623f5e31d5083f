// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "core/picture/picture.h"
#include "core/work/job.h"

namespace moorhaze {

/// Neighbouring places of a row, at half the size of a picture: place (x, y) holds the pixels 2x, 2x+1 of the
/// rows 2y, 2y+1.
struct ClippedRun {
    int y, begin, end;
};

/// Compression rounds: what reaches so much of the encoded full scale is clipped.
inline constexpr double kClippedLevel = 0.98;

/// Where all four pixels reach a share of the encoded full scale in one colour or more. In rising order of
/// rows.   Thread-safe.   @throws Cancelled.
std::vector<ClippedRun> clipped_runs(const Picture& picture, double level, const Job& job);

}  // namespace moorhaze
