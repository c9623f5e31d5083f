// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>

#include "core/project/recipe.h"

/// Recipes as files. Thread-safe.
namespace moorhaze {

inline constexpr int kRecipeVersion = 1;
std::string json_of(const Recipe& recipe);
/// @throws FileError for what is no recipe, of a newer version, or has members that mean nothing here
/// (named).
Recipe recipe_from_json(const std::string& json);
/// @throws FileError with the file's name.
Recipe read_recipe(const std::filesystem::path& file);
void write_recipe(const std::filesystem::path& file, const Recipe& recipe, bool overwrite);

}  // namespace moorhaze
