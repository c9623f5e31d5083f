// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <map>

#include "core/project/project.h"

/// What each step of the work is made from, as pure functions of the project. A product is out of date
/// exactly when its inputs differ from those of today.
namespace moorhaze {

/// What was read of the frames' files.
using FrameFacts = std::map<FrameId, PictureInfo>;

FrameFacts facts_of(const Series& series);

/// The project's frames as the core's steps take them. Frames without facts have a size of 0.
Series series_of(const Project& project, const FrameFacts& facts);

LookInputs look_inputs(const Project& project);
/// @param suggested  the reference frame where the person chose none.
AlignInputs align_inputs(const Project& project, FrameId suggested);
MadeFrom merge_inputs(const Project& project, FrameId suggested);

/// The same by indices into a series. Points in frames that the series has not are passed over.
PlaceSettings place_settings(const AlignInputs& inputs, const Series& series);
/// The backdrop's frame by its number.
MergeSettings merge_settings(const MergeChoice& choice, const Series& series);
std::vector<int> indices_of(const std::vector<FrameId>& frames, const Series& series);
/// The index of a frame; nothing when the series has none of that name.
std::optional<int> index_of(const Series& series, FrameId frame);

}  // namespace moorhaze
