// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/project.h"

#include <algorithm>

namespace moorhaze {

std::optional<int> place_of(const Project& project, FrameId frame) {
    const int place = project.frames.find([&](const ProjectFrame& own) { return own.id == frame; });
    return place < project.frames.size() ? std::optional(place) : std::nullopt;
}

FrameRange range_of(const Project& project) {
    FrameRange range{0, project.frames.size() - 1};
    const auto nearest = project.nearest ? place_of(project, *project.nearest) : std::nullopt,
               farthest = project.farthest ? place_of(project, *project.farthest) : std::nullopt;
    if (nearest) range.first = *nearest;
    if (farthest) range.last = *farthest;
    if (range.first > range.last && nearest && farthest) std::swap(range.first, range.last);
    return range;
}

std::vector<FrameId> chosen_frames(const Project& project) {
    const FrameRange range = range_of(project);
    std::vector<FrameId> chosen;
    for (int place = std::max(0, range.first); place <= range.last; ++place)
        if (project.frames[place].used) chosen.push_back(project.frames[place].id);
    return chosen;
}

const ProjectResult* find_result(const Project& project, ResultId result) {
    const int place = project.results.find([&](const ProjectResult& own) { return own.id == result; });
    return place < project.results.size() ? &project.results[place] : nullptr;
}

bool is_handed_over(const Project& project, const ProjectResult& result) {
    return result.is_saved() && result.saved_finish == project.finish;
}

bool has_unsaved_results(const Project& project) {
    return std::any_of(project.results.begin(), project.results.end(),
                       [](const ProjectResult& result) { return result.would_be_missed(); });
}

}  // namespace moorhaze
