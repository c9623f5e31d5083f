// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <string>

#include "core/finish/finish.h"
#include "core/finish/hand_over.h"

/// A finish as JSON, as it stands in a project, a look and a recipe: one object per part that is set, lengths
/// in pixels, tones and shares 0..1, angles in degrees. What a file does not name is neutral.
namespace moorhaze {

std::string json_of(const Finish& finish);
/// @throws FileError for what is no finish, has unknown members (named) or impossible values.
Finish finish_of(const std::string& json);

std::string json_of(const HandOver& hand_over);
/// @throws FileError as finish_of().
HandOver hand_over_of(const std::string& json);

/// A look: a finish under a name, to be used on other pictures. Its lens, framing and ground and where it is
/// sharpened, which belong to one picture, stay out of it.
void write_look(const std::filesystem::path& file, const Finish& finish, bool overwrite);
/// @throws FileError naming the file.
Finish read_look(const std::filesystem::path& file);
/// What a look changes of a finish: all but lens, framing, ground and where it is sharpened.
Finish with_look(Finish finish, const Finish& look);

}  // namespace moorhaze
