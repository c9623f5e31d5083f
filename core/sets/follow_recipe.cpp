// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/sets/follow_recipe.h"

#include <algorithm>
#include <cmath>

#include "core/project/edits.h"

namespace moorhaze {
namespace {

int place_at(double share, int count) {
    return std::clamp(int(std::lround(share * (count - 1))), 0, std::max(0, count - 1));
}
double share_of(int place, int count) {
    return count > 1 ? double(place) / (count - 1) : 0;
}
std::optional<double> share_of(const Project& project, const std::optional<FrameId>& frame) {
    const auto place = frame ? place_of(project, *frame) : std::nullopt;
    return place ? std::optional(share_of(*place, project.frames.size())) : std::nullopt;
}

}  // namespace

FrameRange range_by(const RangeRule& rule, const std::vector<double>& share) {
    const int count = int(share.size());
    if (rule.kind == RangeRule::Kind::depth) {
        const int one = place_at(rule.nearest, count), other = place_at(rule.farthest, count);
        return {std::min(one, other), std::max(one, other)};
    }
    FrameRange range{0, count - 1};
    if (rule.kind == RangeRule::Kind::all) return range;
    const auto counts = [&](int frame) { return share[std::size_t(frame)] >= rule.least_share; };
    while (range.first < range.last && !counts(range.first)) ++range.first;
    while (range.last > range.first && !counts(range.last)) --range.last;
    // Nothing counts: an even picture, of which nothing is known.
    return counts(range.first) ? range : FrameRange{0, count - 1};
}

Recipe recipe_of(const Project& project) {
    Recipe recipe;
    recipe.development = project.development;
    recipe.development->orientation = 0;
    // Frames that the person left out or kept are the series' own; which flags matter was not said.
    recipe.flags = FlagRule{};
    RangeRule range;
    if (project.nearest || project.farthest) {
        const FrameRange own = moorhaze::range_of(project);
        range.kind = RangeRule::Kind::depth;
        range.nearest = share_of(own.first, project.frames.size());
        range.farthest = share_of(own.last, project.frames.size());
    }
    recipe.range = range;
    AlignmentRule alignment{project.placing, share_of(project, project.reference)};
    alignment.placing.points.clear();
    recipe.alignment = alignment;
    recipe.area = project.kept;
    MergeRule merge{project.merge, share_of(project, project.merge.backdrop)};
    merge.choice.backdrop = {};
    recipe.merges = {merge};
    recipe.finish = without_painted(project.finish.finish);
    recipe.hand_over = project.hand_over;
    recipe.hand_over->article.clear();  // each series has its own
    recipe.doubts = DoubtLimits{};
    return recipe;
}

Project with_recipe(Project project, const Recipe& recipe) {
    if (recipe.development) {
        Development own = *recipe.development;
        own.orientation = project.development.orientation;
        if (own.red <= 0) own.red = project.development.red;
        if (own.blue <= 0) own.blue = project.development.blue;
        project = with_development(std::move(project), own);
    }
    if (recipe.alignment) project = with_placing(std::move(project), recipe.alignment->placing);
    if (recipe.area) project = with_kept(std::move(project), *recipe.area);
    // The camera stood still: what all views share is the plane of the same frame, the whole of it.
    if (recipe.turntable) project = with_kept(std::move(project), KeptArea::reference);
    if (recipe.finish) project = with_finish(std::move(project), *recipe.finish, {});
    if (recipe.hand_over) project = with_hand_over(std::move(project), *recipe.hand_over);
    return project;
}

Project with_recipe_for_frames(Project project, const Recipe& recipe, const SeriesProfile& whole,
                               const std::vector<LeftOut>& left_out) {
    project = without(std::move(project), left_out);
    if (recipe.range) project = with_range(std::move(project), range_by(*recipe.range, whole.share));
    std::optional<double> reference = recipe.alignment ? recipe.alignment->reference : std::nullopt;
    if (recipe.turntable && !reference) reference = 0.5;
    if (reference && !project.frames.empty()) {
        // The nearest to that place that is used.
        const int wanted = place_at(*reference, project.frames.size());
        std::optional<int> nearest;
        for (int i = 0; i < project.frames.size(); ++i)
            if (project.frames[i].used && (!nearest || std::abs(i - wanted) < std::abs(*nearest - wanted)))
                nearest = i;
        if (nearest) project = with_reference(std::move(project), project.frames[*nearest].id);
    }
    return with_merge(project, merges_of(recipe, project)[0]);
}

std::vector<MergeChoice> merges_of(const Recipe& recipe, const Project& project) {
    if (!recipe.merges || recipe.merges->empty()) return {project.merge};
    std::vector<MergeChoice> merges;
    for (const MergeRule& rule : *recipe.merges) {
        merges.push_back(rule.choice);
        if (rule.backdrop && !project.frames.empty())
            merges.back().backdrop = project.frames[place_at(*rule.backdrop, project.frames.size())].id;
    }
    return merges;
}

}  // namespace moorhaze
