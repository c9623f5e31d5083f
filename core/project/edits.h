// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/project/inputs.h"
#include "core/series/card.h"

/// Pure changes of a project. Those that a person makes (edits) are steps of undo; what merely happened
/// (happenings) holds for every value of the history. A change of what is not there gives the project as it
/// was.
namespace moorhaze {

// Edits.
Project with_used(Project project, FrameId frame, bool used);
Project without_frames(Project project, const std::vector<FrameId>& left_out);
/// @param range  places; an end that is the series' own end is left open, so that frames which come later
///               belong to it.
Project with_range(Project project, FrameRange range);
Project with_reference(Project project, std::optional<FrameId> reference);
/// @param order  every frame once.   @throws BadParameter.
Project with_order(Project project, const std::vector<FrameId>& order);
Project with_development(Project project, const Development& development);
Project with_placing(Project project, const Placing& placing);
Project with_kept(Project project, KeptArea kept);
Project with_merge(Project project, const MergeChoice& choice);
/// All of a result's strokes anew: for those that were switched off, changed, deleted or put in order.
Project with_strokes(Project project, ResultId result, const SharedList<Stroke>& strokes);
Project with_stroke(Project project, ResultId result, const Stroke& stroke);
Project with_ignored(Project project, ResultId result, const SharedList<IgnoredPlace>& ignored);
Project with_title(Project project, ResultId result, const std::string& title);
Project without_result(Project project, ResultId result);
/// @param plane  as PlacedFinish has it; left out for a finish without places.
/// @throws BadParameter for values outside their ranges.
Project with_finish(Project project, const Finish& finish, std::optional<FrameId> plane);
Project with_hand_over(Project project, const HandOver& hand_over);
Project with_shooting(Project project, const Shooting& shooting);
Project with_set(Project project, const SetChoice& set);
/// Another series of the same card, or the open one cut or joined: nothing of what was decided about the
/// former one holds. Method, settings, shooting and the set stay.
Project with_series(Project project, const Series& series, const SharedList<CardSeries>& card,
                    std::optional<int> card_place);

/// A stored project that is opened after another. The set goes on where the two have a series in common, or
/// where the opened one knows of none.
Project with_set_of(Project opened, const Project& before);

/// The card as open_card() found it.
SharedList<CardSeries> card_of(const std::vector<FoundSeries>& found);
/// The open series cut before a frame, or joined with the next one: frames as they stand on the card.
/// @throws BadParameter when there is nothing to cut or to join.
SharedList<CardSeries> cut_before(const Project& project, FrameId frame);
SharedList<CardSeries> joined_with_next(const Project& project);
/// The frames of one series of a card, with what was read of their files.
std::vector<Frame> frames_of(const CardSeries& series, const FrameFacts& facts);

// Happenings.
Project with_frame_added(Project project, const ProjectFrame& frame);
Project with_frame_shot_again(Project project, FrameId frame);
/// What files were found to hold. A frame that held something else before counts as shot again: what was made
/// of it is out of date.
Project with_content_keys(Project project, const std::vector<std::pair<FrameId, std::string>>& keys);
/// It was kept under another name.
Project with_name(Project project, const std::string& name);
/// Frames whose files lie elsewhere now.
Project with_frame_paths(Project project,
                         const std::vector<std::pair<FrameId, std::filesystem::path>>& paths);
/// A result that nobody asked for takes the place of one that nobody asked for and nobody used.
Project with_result(Project project, const ProjectResult& result);
Project with_result_asked_for(Project project, ResultId result);
Project with_saved(Project project, ResultId result, const SharedList<Stroke>& strokes,
                   const PlacedFinish& finish);

}  // namespace moorhaze
