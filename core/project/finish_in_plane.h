// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/align/series_geometry.h"
#include "core/project/project.h"

namespace moorhaze {

/// A finish in the plane of one merge.
struct FinishInPlane {
    Finish finish;
    std::string problem;  ///< why its places could not be carried over, in a sentence; empty: they were
};

/// A finish as it lies in the reference plane of a geometry: the one way for the window, the command line and
/// sets. Where the frame that its places lie in has no place there, they stay as they are.
/// @param series  that the geometry is of.   Thread-safe.
FinishInPlane finish_in_plane(const PlacedFinish& placed, const Series& series,
                              const SeriesGeometry& geometry);

}  // namespace moorhaze
