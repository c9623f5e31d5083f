// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/project/unattended.h"
#include "core/sets/turntable.h"

/// A recipe: what was decided about one series, to be done to others. Lengths stay in pixels, places along
/// the depth become shares of the series, so that series of other lengths can follow it.
namespace moorhaze {

/// How much of a series is merged.
struct RangeRule {
    enum class Kind {
        all,      ///< every frame that is used
        trimmed,  ///< without leading and trailing frames that have less than `least_share` of the picture
                  ///< sharpest in them
        depth     ///< from one share of the depth to another
    };
    Kind kind = Kind::all;
    double least_share = 0.005;        ///< of the picture, 0..1
    double nearest = 0, farthest = 1;  ///< of the way from the first frame to the last, 0..1
    bool operator==(const RangeRule&) const = default;
};
/// The frames that a rule keeps, as places.   @param share  per frame, see SeriesProfile.
FrameRange range_by(const RangeRule& rule, const std::vector<double>& share);

struct AlignmentRule {
    Placing placing;  ///< without matching points
    std::optional<double>
        reference;  ///< of the way from the first frame to the last, 0..1; none: as suggested
    bool operator==(const AlignmentRule&) const = default;
};

/// One way to merge; a recipe may ask for several, each of which becomes a picture of its own.
struct MergeRule {
    MergeChoice choice;              ///< without the backdrop's frame
    std::optional<double> backdrop;  ///< its frame, of the way from the first to the last, 0..1
    bool operator==(const MergeRule&) const = default;
};

/// From where on a series is to be looked at by a person.
struct DoubtLimits {
    int left_out = 1;          ///< frames with faults other than that nothing is sharp in them
    double gap_steps = 1;      ///< missing between two frames
    double residual_px = 1;    ///< that the same detail lies apart in neighbours, root mean square
    std::optional<int> snags;  ///< doubtful places; none: they are not looked for, which takes another pass
                               ///< over the frames
    bool operator==(const DoubtLimits&) const = default;
};

/// The parts of a recipe, by name, for lists and files.
enum class RecipePart {
    development,
    flags,
    range,
    alignment,
    area,
    merge,
    finish,
    hand_over,
    doubts,
    turntable
};
inline constexpr RecipePart kRecipeParts[] = {
    RecipePart::development, RecipePart::flags,    RecipePart::range,  RecipePart::alignment,
    RecipePart::area,        RecipePart::merge,    RecipePart::finish, RecipePart::hand_over,
    RecipePart::doubts,      RecipePart::turntable};
const char* name_of(RecipePart part);   ///< as in its file: "hand_over"
const char* title_of(RecipePart part);  ///< for the window: "Files to write"

/// What a recipe does not carry is done as for a series that nothing was decided about.
struct Recipe {
    std::optional<Development> development;  ///< of raw files; how they lie stays with each series
    std::optional<FlagRule> flags;
    std::optional<RangeRule> range;
    std::optional<AlignmentRule> alignment;
    std::optional<KeptArea> area;
    std::optional<std::vector<MergeRule>> merges;  ///< at least one
    std::optional<Finish> finish;                  ///< without what was painted
    std::optional<HandOver> hand_over;
    std::optional<DoubtLimits> doubts;
    /// The series are views of one thing on a turntable: they are framed and lit alike when all are merged.
    std::optional<TurntableRule> turntable;
    bool operator==(const Recipe&) const = default;
};

/// What of a project can be carried over. Frames, matching points, strokes and what was painted stay.
Recipe recipe_of(const Project& project);
bool carries(const Recipe& recipe, RecipePart part);
Recipe without(Recipe recipe, RecipePart part);
/// What a part says, for a person: "woven, detail 4 px; pyramid". Empty where it is not carried.
std::string in_words(const Recipe& recipe, RecipePart part);

/// A series with nothing decided yet, as the recipe says: all that needs no look at its frames.
Project with_recipe(Project project, const Recipe& recipe);
/// The same of what depends on them: flagged frames, range, reference.
/// @param left_out  what with flagged_frames() was found.
Project with_recipe_for_frames(Project project, const Recipe& recipe, const SeriesProfile& whole,
                               const std::vector<LeftOut>& left_out);
/// The ways to merge, with the backdrop's frame of this project.
std::vector<MergeChoice> merges_of(const Recipe& recipe, const Project& project);

inline constexpr int kRecipeVersion = 1;
std::string json_of(const Recipe& recipe);
/// @throws FileError for what is no recipe, of a newer version, or has members that mean nothing here
/// (named).
Recipe recipe_from_json(const std::string& json);
/// @throws FileError with the file's name.
Recipe read_recipe(const std::filesystem::path& file);
void write_recipe(const std::filesystem::path& file, const Recipe& recipe, bool overwrite);

}  // namespace moorhaze
