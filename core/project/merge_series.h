// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/merge/merge_within.h"
#include "core/project/inputs.h"

namespace moorhaze {

/// Merges a series as a project says: the one way for the window and the command line, so that the same
/// decisions give the same pixels.
/// @param series        the frames that `from` was made of, in their order.
/// @param geometry      of that series, made from `from.align`.
/// @param memory_bytes  of the whole process, about; 0: as much as one piece takes.
/// @throws Error when no frame is left or the frames have nothing in common, with the remedy; as
/// merge_within.
MergeResult merge_series(const Series& series, const SeriesGeometry& geometry, const MadeFrom& from,
                         std::size_t memory_bytes, const MergeContext& context, const Job& job);

/// The part of the reference plane that such a merge fills; empty where there is none.
PixelRect merged_area(const Series& series, const SeriesGeometry& geometry, const MadeFrom& from);

}  // namespace moorhaze
