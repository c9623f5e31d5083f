// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/merge_series.h"

namespace moorhaze {

PixelRect merged_area(const Series& series, const SeriesGeometry& geometry, const MadeFrom& from) {
    return kept_area(geometry, indices_of(from.frames, series), series.size(), from.kept);
}

MergeResult merge_series(const Series& series, const SeriesGeometry& geometry, const MadeFrom& from,
                         std::size_t memory_bytes, const MergeContext& context, const Job& job) {
    if (from.frames.empty()) throw Error("No frame is left to merge: take some back, or widen the range.");
    const PixelRect area = merged_area(series, geometry, from);
    if (area.empty())
        throw Error(
            "The frames have no area in common: leave the outliers out, or choose another area to keep.");
    const MergeSettings settings = merge_settings(from.choice, series);
    check(settings);
    const MergeTask task{series, geometry, indices_of(from.frames, series), area, settings, memory_bytes};
    return merge_within(merge_method(from.choice.method), task, context, job);
}

}  // namespace moorhaze
