// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/project/project.h"

namespace moorhaze {

/// The version of the JSON that this program writes; files of a newer one are refused.
/// Rises whenever a file holds something that a program of before would pass over and lose.
inline constexpr int kProjectVersion = 4;

/// A project as readable JSON.
/// @param folder  paths are written relative to it, and where absolute ones lay; empty: as they are.
std::string to_json(const Project& project, const std::filesystem::path& folder);

/// The project that to_json() wrote: equal in every value.
/// @param folder  that relative paths lie in; frames that are not there but where they lay are taken from
///                there.
/// @throws FileError for text that is no project, or of a newer version: what is wrong, without a file's
/// name.
Project project_from_json(const std::string& json, const std::filesystem::path& folder);

}  // namespace moorhaze
