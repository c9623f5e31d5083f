// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <compare>
#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "core/mend/snags.h"
#include "core/mend/strokes.h"
#include "core/optics/shoot_plan.h"
#include "core/project/set_choice.h"
#include "core/work/shared_list.h"

/// What a person decided about one series, as one immutable value without pixels. It is changed by the pure
/// functions of edits.h; inputs.h says what each step of the work is made from.
namespace moorhaze {

/// One frame as the project knows it.
struct ProjectFrame {
    FrameId id;
    std::filesystem::path path;
    std::string content_key;  ///< of the file's bytes (see content_key_of); empty until they were read
    int revision = 0;         ///< how often its file was shot anew
    bool used = true;         ///< false: left out by the person
    bool operator==(const ProjectFrame&) const = default;
};

/// A frame in one state of its file.
struct FrameVersion {
    FrameId id;
    int revision = 0;
    bool operator==(const FrameVersion&) const = default;
};

/// What looking into a series depends on.
struct LookInputs {
    std::vector<FrameVersion> frames;  ///< near to far
    Development development;
    bool operator==(const LookInputs&) const = default;
};

/// What the frames' geometry depends on.
struct AlignInputs {
    LookInputs look;
    std::vector<FrameId> used;  ///< near to far
    FrameId reference;
    Placing placing;
    bool operator==(const AlignInputs&) const = default;
};

/// Everything a merge is made from.
struct MadeFrom {
    AlignInputs align;
    std::vector<FrameId> frames;  ///< those merged, near to far
    KeptArea kept = KeptArea::common;
    MergeChoice choice;
    /// The file name of a picture that was brought in from outside and laid over such a merge, which it takes
    /// the depths from; empty: the merge itself.
    std::string brought_in = {};
    bool operator==(const MadeFrom&) const = default;
};

/// A finish, and which reference plane its places lie in: crop, turn, ground and painted sharpening.
struct PlacedFinish {
    Finish finish;
    /// The reference frame whose pixels they are; none: those of whichever plane it is used in.
    std::optional<FrameId> plane;
    bool operator==(const PlacedFinish&) const = default;
};

/// A finished merge with what was painted on it.
struct ProjectResult {
    ResultId id;
    std::string title;
    MadeFrom made_from;
    double seconds = 0;
    bool ahead = false;          ///< not asked for: the next such takes its place while nobody used it
    SharedList<Stroke> strokes;  ///< in the order they were painted
    /// The strokes it was last exported with; none: never.
    std::optional<SharedList<Stroke>> saved_strokes;
    SharedList<IgnoredPlace> ignored = {};  ///< doubtful places that shall stay as they are
    PlacedFinish saved_finish = {};         ///< the finish it was last exported with

    bool is_saved() const { return saved_strokes && *saved_strokes == strokes; }
    /// True when closing would lose something that a person made or asked for.
    bool would_be_missed() const { return !is_saved() && !(ahead && strokes.empty()); }
    bool operator==(const ProjectResult&) const = default;
};

/// One of the series that were found together.
struct CardSeries {
    std::string name, reason;  ///< as FoundSeries
    SharedList<ProjectFrame> frames;
    bool operator==(const CardSeries&) const = default;
};

/// The plan of a shoot: its setup and the marks set on the devices, mm along the lens axis.
struct Shooting {
    ShootSetup setup;
    std::optional<double> near_mark_mm, far_mark_mm;
    bool operator==(const Shooting&) const = default;
};

struct Project {
    std::string name;
    SharedList<ProjectFrame> frames;  ///< near to far
    bool turned_round = false;        ///< the files ran from far to near
    /// The nearest and the farthest frame that shall be sharp; none: as far as there are frames. Whichever of
    /// the two stands nearer counts as the nearest.
    std::optional<FrameId> nearest, farthest;
    std::optional<FrameId> reference;  ///< none: as suggested
    Development development;
    Placing placing;
    KeptArea kept = KeptArea::common;
    MergeChoice merge;
    SharedList<ProjectResult> results;
    SharedList<CardSeries> card;    ///< all series that were found together; empty: this one alone
    std::optional<int> card_place;  ///< of the open series
    Shooting shooting;
    /// Of every result: a new merge is finished as the one before was, carried over to its own plane (see
    /// finish_in_plane.h).
    PlacedFinish finish;
    HandOver hand_over;
    SetChoice set;
    bool operator==(const Project&) const = default;
};

/// The place of a frame, from 0; nothing when the project has no such frame.
std::optional<int> place_of(const Project& project, FrameId frame);
/// The range as places. All frames where no end was chosen; {0, -1} without frames.
FrameRange range_of(const Project& project);
/// The frames that are used and lie in the range, near to far.
std::vector<FrameId> chosen_frames(const Project& project);
/// Null when there is no such result.
const ProjectResult* find_result(const Project& project, ResultId result);
/// True when a result was exported as it would be now.
bool is_handed_over(const Project& project, const ProjectResult& result);
/// True when some result would be missed.
bool has_unsaved_results(const Project& project);

}  // namespace moorhaze
