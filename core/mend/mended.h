#pragma once
#include <map>
#include <memory>
#include <optional>

#include "core/mend/strokes.h"
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

/// How pixels of one reference plane lie in another; nothing where the frame that one is the plane of was not
/// registered in the other.
std::optional<cv::Matx33d> between_planes(const Series& from_series, const SeriesGeometry& from,
                                          const Series& to_series, const SeriesGeometry& to);

/// A merge with what was painted on it: what is shown, and what is delivered.
/// @param area    of the reference plane; what of it lies in the merge is made.
/// @return        16 bit, in the merge's profile, with its transparency.
/// @throws FileError, BadParameter for a stroke from a frame or result that the sources have not, Cancelled.
/// Thread-safe.
Picture mended(const MergeResult& merge, const SharedList<Stroke>& strokes, const MendSources& sources,
               PixelRect area, const Job& job);

}  // namespace moorhaze
