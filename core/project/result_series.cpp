// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/result_series.h"

#include "core/project/edits.h"

namespace moorhaze {

Series series_of_result(const Project& project, const FrameFacts& facts, const ProjectResult& result) {
    Project then = project;
    std::vector<int> places;
    for (const FrameVersion& frame : result.made_from.align.look.frames) {
        const auto at = place_of(project, frame.id);
        if (!at) throw FileError(result.title + ": was made of frames that the project has not any more");
        places.push_back(*at);
    }
    then.frames = then.frames.picked(places);
    then.development = result.made_from.align.look.development;
    then.nearest = then.farthest = std::nullopt;
    return series_of(then, facts);
}

std::vector<Snag> snags_of_result(const MergeResult& merge, const Series& series,
                                  const SeriesGeometry& geometry, const MadeFrom& from, const Job& job) {
    AlignedFrames frames(series, geometry, indices_of(from.frames, series), merge.area);
    return find_snags(merge, frames, {}, job);
}

}  // namespace moorhaze
