// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>

#include "core/project/recipe.h"

namespace moorhaze {

/// How this series and those found with it are done as a set.
struct SetChoice {
    std::string recipe_name;  ///< for the person; empty: there is no recipe yet
    Recipe whole;             ///< with the parts that are not carried
    std::vector<RecipePart> left_out;
    /// Where the pictures go: a folder, perhaps with a pattern for names (see parse_out()); empty: nobody has
    /// said.
    std::string out;
    bool replaces = false;  ///< pictures of the same names that the recipe did not make
    /// Series that are not done, by the files of their first frames.
    std::vector<std::filesystem::path> unticked;
    bool operator==(const SetChoice&) const = default;
};

/// What is carried to other series.
Recipe carried_recipe(const SetChoice& set);
bool carries_part(const SetChoice& set, RecipePart part);
SetChoice with_part(SetChoice set, RecipePart part, bool carried);

bool is_ticked(const SetChoice& set, const std::filesystem::path& first_frame);
SetChoice with_tick(SetChoice set, const std::filesystem::path& first_frame, bool ticked);

}  // namespace moorhaze
