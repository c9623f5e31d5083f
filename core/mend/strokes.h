// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <compare>
#include <variant>

#include "core/align/series_geometry.h"
#include "core/work/shared_list.h"

namespace moorhaze {

/// Names a result for as long as its project is known.
struct ResultId {
    int value = 0;
    auto operator<=>(const ResultId&) const = default;
};

/// A place the brush went over, in reference pixels.
struct StrokePoint {
    double x_px = 0, y_px = 0;
    double pressure = 1;  ///< 0..1 of a pen: the brush is so much of its size there; a mouse has 1
    bool operator==(const StrokePoint&) const = default;
};

/// Paints the merge back as it was.
struct WipeBack {
    bool operator==(const WipeBack&) const = default;
};

/// The picture itself, as the strokes before left it, so far to the right and below: whole px, so that
/// nothing is resampled.
struct FromPlace {
    int dx_px = 0, dy_px = 0;
    bool operator==(const FromPlace&) const = default;
};

/// What a stroke brings: the merge itself, a frame of the series, another result as it was merged, or another
/// place of the picture.
using StrokeSource = std::variant<WipeBack, FrameId, ResultId, FromPlace>;

/// The brush, along the points.
struct AlongPath {
    bool operator==(const AlongPath&) const = default;
};
/// Nothing on this side of the first point, more and more up to the second, all of it beyond.
struct FadeAcross {
    /// Frames that are passed through on the way before the source, evenly: how a lens leaves its focus. The
    /// first of them follows the picture itself; none: the picture passes into the source.
    std::vector<FrameId> through = {};
    bool operator==(const FadeAcross&) const = default;
};
/// All that lies inside closed outlines; where they lie within one another, the inner ones are holes.
struct WithinOutline {
    std::vector<std::vector<StrokePoint>> outlines;
    bool operator==(const WithinOutline&) const = default;
};
/// All places of the merge that a rule holds for.
struct WhereRule {
    enum class Kind {
        trust_below,    ///< and hanging together over more than a few px
        depth_between,  ///< frame numbers, not whole
        from_frame      ///< what the merge took from one frame
    } kind = Kind::trust_below;
    double least = 0, most = 0;  ///< of depth; trust has only the most, 0..1
    FrameId frame = {};
    bool operator==(const WhereRule&) const = default;
};
/// Where a stroke brings its source.
using StrokeShape = std::variant<AlongPath, FadeAcross, WithinOutline, WhereRule>;

/// One act of mending: a place is drawn in from a source, or wiped back to the merge.
struct Stroke {
    StrokeSource source;
    double radius_px = 17;  ///< ≥ 0.5
    double softness = 0.6;  ///< 0 hard edge … 1 soft from the middle on; without a path only the rim is soft
    double flow = 0.4;      ///< 0..1: how much of the source one pass brings
    std::vector<StrokePoint> points;  ///< the path, or the two of a fade
    bool is_off = false;              ///< kept, but as if it had not been painted
    StrokeShape shape = {};
    /// The source is made lighter or darker, each colour on its own, so that it meets what lies around. Of
    /// paths and outlines only.
    bool match_tone = false;
    bool operator==(const Stroke&) const = default;
};

/// The part of the reference plane that a stroke can change; what is wanted of a fade or a rule is all of it.
PixelRect reach_of(const Stroke& stroke);

/// The stroke as it lies in another reference plane: places and sizes go along, rules stay as they are.
Stroke carried_over(Stroke stroke, const cv::Matx33d& to_plane);

/// What rules look at: planes of the merge as MergeResult has them, which may be empty.
struct MergePlanes {
    PixelRect area;  ///< of the reference plane
    cv::Mat1f depth, trust;
    cv::Mat1w source;
    std::vector<FrameId> frames;  ///< that `source` counts from 1
};

/// How much of the source a stroke brings to each pixel of `area`, 0..1: along the path the brush never takes
/// away and going over a place again within one stroke adds nothing; a new stroke does.
/// @throws BadParameter for a rule about a plane that the merge has not.
cv::Mat1f stroke_mask(const Stroke& stroke, PixelRect area, const MergePlanes& planes, const Job& job);

/// False for a fade of fewer than two points, or of two that lie together: it changes nothing.
bool leads_somewhere(const Stroke& fade);

/// How far a place has come in a fade: 0 is the picture itself, then each frame passed through, in order, and
/// the source, which is the last.   @param stroke  a fade of two points.
double fade_place(const Stroke& stroke, double x_px, double y_px);

/// What was painted on an area.
struct Painted {
    cv::Mat1f share;   ///< 0..1: how much comes from strokes; 0 is the merge as it was, or wiped back to it
    cv::Mat1w stroke;  ///< number from 1 of the stroke that brought most; 0: none
};
Painted painted_on(const SharedList<Stroke>& strokes, PixelRect area, const MergePlanes& planes,
                   const Job& job);

}  // namespace moorhaze
