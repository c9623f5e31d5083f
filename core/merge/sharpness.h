// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/picture/warp.h"

namespace moorhaze {

/// Sharpness of each place of an aligned frame: modified Laplacian of perceptual luma, gathered over the
/// detail size; 0 where the frame has no pixels.   @return H×W.   Thread-safe.
cv::Mat1f sharpness_of(const LinearFrame& frame, double detail_size_px, const Job& job);

/// Calls `body(row, begin, end)` for the covered part of each row, in parallel.
template <class Body>
void for_covered_rows(const LinearFrame& frame, const Job& job, const Body& body);

}  // namespace moorhaze

#include "core/work/for_rows.h"

template <class Body>
void moorhaze::for_covered_rows(const LinearFrame& frame, const Job& job, const Body& body) {
    for_rows(frame.pixels.rows, job, [&](int y) {
        const RowSpan span = frame.covered[std::size_t(y)];
        if (span.begin < span.end) body(y, span.begin, span.end);
    });
}
