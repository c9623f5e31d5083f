// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/merge/merge.h"

namespace moorhaze {

/// Everything a merge is made of.
struct MergeTask {
    const Series& series;
    const SeriesGeometry& geometry;
    std::vector<int> frames;  ///< indices
    PixelRect area;           ///< of the reference plane
    MergeSettings settings;
    std::size_t memory_bytes = 0;  ///< of the whole process, about; 0: as much as one piece takes
};

/// Rows of the area that a strip makes, so that a merge keeps within its memory.
struct StripPlan {
    int rows = 0;    ///< of the result; all of them where one piece fits
    int margin = 0;  ///< rows more that are merged above and below; in them strips pass into each other
};
/// @throws BadParameter when not even the smallest strips fit; it names the least that does.
StripPlan plan_strips(const MergeMethod& method, const MergeTask& task);

/// What a merge in one piece leaves of an amount of memory, about: for decoded frames. 0 where it needs all.
std::size_t bytes_to_spare(const MergeMethod& method, const MergeTask& task, std::size_t bytes);

/// Merges within the memory: in one piece where that fits, otherwise strip after strip, each with all its
/// frames read anew. What only the whole picture tells (noise, moved parts) is found out in a pass of its own
/// then, so that strips decide alike. The same pixels for any number of threads; for another memory they
/// differ where strips meet by what coarse detail from beyond the margin would change, hardly above rounding.
/// Unveiled afterwards where the settings ask for it (see unveil.h), in one piece; where the memory is too
/// small for that the result's settings and a problem say so.
/// @param context  a statistics in it saves that pass.
/// @throws as the method; BadParameter as plan_strips.
MergeResult merge_within(const MergeMethod& method, const MergeTask& task, const MergeContext& context,
                         const Job& job);

}  // namespace moorhaze
