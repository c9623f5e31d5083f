// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/finish/finish.h"
#include "core/finish/hand_over.h"
#include "core/project/choices.h"

/// A recipe: what was decided about one series, to be done to others. Lengths stay in pixels, places along
/// the depth become shares of the series, so that series of other lengths can follow it.
namespace moorhaze {

/// Frames with flags are left out; those whose flags are all of accepted kinds are used all the same.
struct FlagRule {
    bool accepts_all = false;
    std::vector<std::string> accepted;  ///< kinds, see FrameFlag
    bool operator==(const FlagRule&) const = default;
};
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

/// Views of a turntable made alike: one crop, an upright axis in its middle, one light, one ground.
struct TurntableRule {
    int views = 0;             ///< that there should be; 0: as many as there are
    bool level = true;         ///< the axis of rotation is made upright
    bool even_light = true;    ///< each view's exposure is changed so that the ground is alike
    bool white_ground = true;  ///< where the finish picks none: white, without shadows
    double margin = 0.06;      ///< around the object, share of its longer side, 0..1
    /// Of the levelled picture, px; none: around all that is seen of the object in any view.
    std::optional<PixelRect> crop = {};
    bool operator==(const TurntableRule&) const = default;
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

/// What was painted at places of one picture does not fit another.
Finish without_painted(Finish finish);
bool carries(const Recipe& recipe, RecipePart part);
Recipe without(Recipe recipe, RecipePart part);
/// What a part says, for a person: "woven, detail 4 px; pyramid". Empty where it is not carried.
std::string in_words(const Recipe& recipe, RecipePart part);

}  // namespace moorhaze
