// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/project/recipe_json.h"
#include "core/project/unattended.h"

/// Making a recipe of a project, and deciding about another series as a recipe says. Pure functions.
namespace moorhaze {

/// What of a project can be carried over. Frames, matching points, strokes and what was painted stay.
Recipe recipe_of(const Project& project);
/// The frames that a rule keeps, as places.   @param share  per frame, see SeriesProfile.
FrameRange range_by(const RangeRule& rule, const std::vector<double>& share);

/// A series with nothing decided yet, as the recipe says: all that needs no look at its frames.
Project with_recipe(Project project, const Recipe& recipe);
/// The same of what depends on them: flagged frames, range, reference.
/// @param left_out  what with flagged_frames() was found.
Project with_recipe_for_frames(Project project, const Recipe& recipe, const SeriesProfile& whole,
                               const std::vector<LeftOut>& left_out);
/// The ways to merge, with the backdrop's frame of this project.
std::vector<MergeChoice> merges_of(const Recipe& recipe, const Project& project);

}  // namespace moorhaze
