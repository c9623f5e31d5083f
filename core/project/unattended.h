// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/project/look_into.h"

/// What is decided about a series where nobody is there to decide, and what a person should know of it
/// afterwards: the same for `merge` and for sets.
namespace moorhaze {

/// The kinds of flags that there are.
const std::vector<std::string>& flag_kinds();

/// A frame that was left out because of a flag.
struct LeftOut {
    int frame = 0;  ///< index from 0
    FrameFlag why;
};
/// The frames whose flags speak against them, of those that the person uses.
std::vector<LeftOut> flagged_frames(const Project& project, const SeriesProfile& whole, const FlagRule& rule);
Project without(Project project, const std::vector<LeftOut>& left_out);

/// Sentences for the person.
std::string in_words(const LeftOut& left_out);
std::string in_words(const FocusGap& gap);
/// That the frames are not in order, that settings differ, and each gap.
std::vector<std::string> warnings_of(const Looked& looked);
/// Used frames that could not be aligned.
std::vector<std::string> warnings_of(const SeriesGeometry& geometry, const Series& series);

}  // namespace moorhaze
