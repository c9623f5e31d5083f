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

/// Where all four pixels are clipped in one colour or more: at least 98 % of the encoded full scale, since
/// compression rounds. In rising order of rows.   Thread-safe.   @throws Cancelled.
std::vector<ClippedRun> clipped_runs(const Picture& picture, const Job& job);

}  // namespace moorhaze
