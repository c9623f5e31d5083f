// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/finish/hand_over.h"
#include "core/series/card.h"
#include "core/sets/follow_recipe.h"

/// What a run would do: which series, by which recipe, written where under which names.
namespace moorhaze {

/// Where the pictures go: a folder and, in its last part, a pattern for names (see name_of_output()). Parts
/// of the path may hold patterns, too.
struct OutPattern {
    std::filesystem::path folder = ".";  ///< that lies before the first pattern; records are kept in it
    std::string folders;                 ///< patterns of folders in it, with '/' between; may be empty
    std::string name;                    ///< instead of the outputs' own; empty: as the recipe has them
    bool operator==(const OutPattern&) const = default;
};
/// "finished/": a folder; "finished/{article}-{number}": with names; "finished/{series}/": a folder for each.
/// @throws BadParameter for an unknown part of a pattern.
OutPattern parse_out(const std::string& text);

/// One series of a run.
struct SetSeries {
    std::string name;
    int number = 1;      ///< in the run
    std::string reason;  ///< why it is a series of its own; may be empty
    std::vector<Frame> frames;
};

struct SetPlan {
    Recipe recipe;
    OutPattern out;
    std::vector<SetSeries> series;
    std::vector<std::string> problems;  ///< files that are in none of them, a sentence each
    std::vector<std::string> notes;
};

/// Finds the series in folders and among files.
/// @throws FileError when there is none; BadParameter naming two series or outputs that would be written
/// under one name, or a pattern's mistake; Cancelled.
SetPlan plan_set(Recipe recipe, const std::vector<std::filesystem::path>& files_or_folders,
                 const OutPattern& out, const Job& job);
/// The same of frames that are known to be one series.
SetPlan plan_one_series(Recipe recipe, const std::vector<std::filesystem::path>& files, std::string name,
                        int number, const OutPattern& out, const Job& job);
/// Refuses names that would fall on one another.   @throws BadParameter.
void check_names(const SetPlan& plan);

/// The files that a series is written as: for each way to merge, each output that is on.
struct SetFile {
    int merge = 0;  ///< which way to merge, from 0
    Output output;
    std::filesystem::path path;
};
/// @param shooting  of the reference frame, or of any while that is not known.
/// @param picture   size of the finished picture; as long as that is not known, of the frames.
std::vector<SetFile> files_of(const SetPlan& plan, const SetSeries& series, const ShootingData& shooting,
                              cv::Size picture);

/// Of a turntable's plan: the pictures that a view leaves as in the end, when all views are merged.
/// files_of() names its merge then, which is kept beside the table.
/// @param picture  size of the framed view; as long as that is not known, of the frames.
std::vector<SetFile> files_of_view(const SetPlan& plan, const SetSeries& view, const ShootingData& shooting,
                                   cv::Size picture);
/// What the thing on a turntable is called: the folder that its views lie in.
std::string turntable_name(const SetPlan& plan);

/// @throws BadParameter where pictures would go into a folder that frames are taken from.
void refuse_pictures_among_frames(const OutPattern& out, const std::vector<std::filesystem::path>& folders);
/// The files of all frames: originals, to be protected while they are worked on.
std::vector<std::filesystem::path> frames_of(const SetPlan& plan);

/// Where records, projects to look at and the table of a run lie.
std::filesystem::path set_folder(const OutPattern& out);

}  // namespace moorhaze
