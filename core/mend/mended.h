// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <map>
#include <memory>
#include <optional>

#include "core/mend/stroke_rendering.h"
#include "core/merge/frame_source.h"
#include "core/merge/merge.h"

namespace moorhaze {

/// Another result, as it was merged, to paint from.
struct ResultSource {
    std::shared_ptr<const MergeResult> merge;
    cv::Matx33d to_plane = cv::Matx33d::eye();  ///< its reference pixels to those of the merge that is mended
};
using ResultSources = std::map<ResultId, ResultSource>;

/// Where strokes take their pixels from. Refers to the frames.
struct MendSources {
    const FrameSource& frames;  ///< of the series and geometry that the mended merge was made from
    ResultSources results = {};
};

/// What strokes bring, for rendering them.   @return refers to the sources and to the job.
SourcePixels pixels_of(const MendSources& sources, const Job& job);

/// How pixels of one reference plane lie in another; nothing where the frame that one is the plane of was not
/// registered in the other.
std::optional<cv::Matx33d> between_planes(const Series& from_series, const SeriesGeometry& from,
                                          const Series& to_series, const SeriesGeometry& to);

/// What a result shows over a part of another's reference plane, as strokes bring it.   @throws as
/// warp_to_linear.
LinearFrame result_over(const ResultSource& result, PixelRect area, const ToneCurve& curve, const Job& job);

/// What rules of strokes look at. Shares the merge's planes.
/// @param series  that its sources are counted in.
MergePlanes planes_of(const MergeResult& merge, const Series& series);

/// A merge with what was painted on it: what is shown, and what is delivered.
/// @param area    of the reference plane; what of it lies in the merge is made.
/// @return        16 bit, in the merge's profile, with its transparency.
/// @throws FileError, BadParameter for a stroke from a frame or result that the sources have not, Cancelled.
/// Thread-safe.
Picture mended(const MergeResult& merge, const SharedList<Stroke>& strokes, const MendSources& sources,
               PixelRect area, const Job& job);

/// The merge as if it had been mended when it was made: its picture with the strokes, and where they bring a
/// frame, that frame's depth. For looking at what was painted as at what was merged.   @throws as mended().
MergeResult mended_merge(const MergeResult& merge, const SharedList<Stroke>& strokes,
                         const MendSources& sources, const Job& job);

/// A new stroke of healing: what lies along `path` is covered by a place near by that its surroundings look
/// like, its tone matched.   @throws BadParameter where no place is alike, and as mended().
Stroke healing(const MergeResult& merge, const SharedList<Stroke>& strokes, const MendSources& sources,
               Stroke path, const Job& job);

/// A new stroke that takes the whole thing that was scribbled over from its source.
/// @param scribble  with the source; its radius is that of the scribble.   @throws BadParameter when no thing
/// can be told from its surroundings, and as mended().
Stroke taking_the_thing(const MergeResult& merge, const SharedList<Stroke>& strokes,
                        const MendSources& sources, const Stroke& scribble, const Job& job);

}  // namespace moorhaze
