// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>

#include "core/project/project.h"

namespace moorhaze {

/// What a merge was made with, for a person: "24 frames · detail 4 px · seam 2 px". Settings that its method
/// does not use are not named.
std::string settings_in_words(const MadeFrom& from);
/// How a picture was made, for its metadata: "Moorhaze woven merge, 24 frames, detail 4 px, 3 strokes".
std::string made_with(const ProjectResult& result);
/// The same of a finish: ", light: exposure +0.50 EV; colour: ..."; empty where it is neutral.
std::string finish_in_words(const Finish& finish);
/// Words with commas between, without what is empty or said before.
std::vector<std::string> keywords_of(const std::string& text);

}  // namespace moorhaze
