// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>
#include <string>
#include <vector>

#include "core/mend/strokes.h"
#include "core/merge/merge.h"
#include "core/work/shared_list.h"

namespace moorhaze {

/// What is likely to be wrong at a doubtful place.
enum class SnagKind {
    soft_rim,     ///< an edge in depth: the blur of what is near lies over what is behind
    thin_thing,   ///< the same, where what is near is thin: doubled, broken or translucent
    bright_halo,  ///< brighter than any frame holds there
    dark_rim,     ///< darker than any frame holds there
    moved,        ///< frames contradict each other
    glare,        ///< around a highlight
    dust,         ///< shadows of dust on the sensor, one behind the other
    never_sharp,  ///< no frame is surely sharp there, and it does not look like any of them
    blended,      ///< put together from frames that differ
};
inline constexpr int kSnagKindCount = 9;
/// For reports: "soft-rim".
const char* name_of(SnagKind kind);
/// @throws BadParameter for a name that means nothing.
SnagKind snag_kind_named(const std::string& name);

/// A doubtful place of a merge.
struct Snag {
    SnagKind kind = SnagKind::blended;
    cv::Point place;      ///< where it is strongest, reference pixels
    PixelRect area;       ///< that holds all of it, reference pixels
    double strength = 0;  ///< how far the merge is from its frames there, perceptual luma (see luma.h), > 0
    /// The same of the picture at 1/2, 1/4 and 1/8 of its size, where fine differences average out.
    std::array<double, 3> strength_smaller = {};
    int frame = 0;                  ///< number from 1 of the frame whose depth most of it has; 0: none
    int nearest = 0, farthest = 0;  ///< numbers of the depths that meet there; 0: none
    int without_dust =
        0;  ///< of dust: number of the nearest frame that has it elsewhere, or most of it; else 0
    bool operator==(const Snag&) const = default;
};

/// How strong a place is in the picture at a size that it is delivered at.
/// @param scale  of the picture's own size, > 0; from 1 on it is seen at 100 %.
double strength_at(const Snag& snag, double scale);

constexpr double kSeenStrength = 0.012;  ///< fainter ones are seen by nobody: about 3 of 255 in middle grey
constexpr double kPlainStrength = 0.03;  ///< seen at once: about 8 of 255; what is less by who looks for it

/// The first one first, then always the one nearest to the last, so that a walk does not jump to and fro.
std::vector<Snag> nearest_next(std::vector<Snag> snags);

/// What is wrong, in a sentence for the person.
std::string sentence_of(const Snag& snag);

/// A doubtful place that the person looked at and left as it is.
struct IgnoredPlace {
    SnagKind kind = SnagKind::blended;
    cv::Point place;  ///< reference pixels
    bool operator==(const IgnoredPlace&) const = default;
};
/// True when one of them is of the snag's kind and lies in it, also where it was found anew.
bool is_ignored(const Snag& snag, const SharedList<IgnoredPlace>& ignored);

/// True when a good part of its strongest place comes from strokes.
bool is_painted(const Snag& snag, const SharedList<Stroke>& strokes, const MergePlanes& planes);

struct SnagSettings {
    int most = 100;          ///< places, the strongest
    double times_usual = 3;  ///< at least so many times the usual strength of the whole picture
};

/// Finds where a merge is likely to be wrong: where it does not look like the frame of its own depth, nor
/// like the frames of the depths that meet around. No truth is needed; weights and reach were chosen on
/// random scenes of the rig (seeds below 100). Dust that is known of is looked for as such. Places that touch
/// and are of one kind are one. One pass over the frames at half size; peak memory about 14 bytes a pixel of
/// the target.
/// @param frames  that the merge was made from; their target is the merge's area.
/// @return        the strongest first, of kinds that are often right before those that seldom are.
/// @throws BadParameter when the frames have another target, FileError when none can be read, Cancelled.
std::vector<Snag> find_snags(const MergeResult& merge, AlignedFrames& frames, const SnagSettings& settings,
                             const Job& job);

}  // namespace moorhaze
