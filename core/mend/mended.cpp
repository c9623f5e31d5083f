#include "core/mend/mended.h"

#include <algorithm>

namespace moorhaze {
namespace {

SourcePart part_of(const FrameSource& frames, FrameId frame, PixelRect area, const Job& job) {
    const auto index = frames.index_of(frame);
    if (!index)
        throw BadParameter("a stroke was drawn in from a frame that is no longer in the series: undo it");
    // Beyond a frame its edge is repeated, as merges have it.
    return {frames.load(*index, area, job).pixels, {}};
}

SourcePart part_of(const ResultSources& results, ResultId id, PixelRect area, const ToneCurve& curve,
                   const Job& job) {
    const auto found = results.find(id);
    if (found == results.end())
        throw BadParameter(
            "a stroke was drawn in from a result that is not there: undo it, or take the "
            "result back");
    const MergeResult& merge = *found->second.merge;
    const cv::Matx33d in_its_plane(1, 0, double(merge.area.x), 0, 1, double(merge.area.y), 0, 0, 1);
    const WarpPlan plan{.frame_to_reference = found->second.to_plane * in_its_plane, .target = area};
    LinearFrame warped = WarpedFrame({merge.picture.pixels, {}, merge.picture.profile}, curve, plan).all(job);
    return {warped.pixels, std::move(warped.covered)};
}

}  // namespace

std::optional<cv::Matx33d> between_planes(const Series& from_series, const SeriesGeometry& from,
                                          const Series& to_series, const SeriesGeometry& to) {
    const auto reference = std::size_t(from.reference);
    const FrameId id = from_series.frames[reference].id;
    const auto own = std::find_if(to_series.frames.begin(), to_series.frames.end(),
                                  [id](const Frame& frame) { return frame.id == id; });
    if (own == to_series.frames.end()) return std::nullopt;
    const FrameGeometry& there = to.frames[std::size_t(own - to_series.frames.begin())];
    if (!there.registered) return std::nullopt;
    return there.matrix * from.frames[reference].matrix.inv();
}

Picture mended(const MergeResult& merge, const SharedList<Stroke>& strokes, const MendSources& sources,
               PixelRect area, const Job& job) {
    area &= merge.area;
    const PixelRect inside = area - merge.area.tl();
    Picture picture{{}, {}, merge.picture.profile};
    if (area.empty()) return picture;
    if (!merge.picture.alpha.empty()) picture.alpha = merge.picture.alpha(inside);
    picture.pixels = render_strokes(
        merge.picture, merge.area, strokes, area, sources.frames.curve(),
        [&](const StrokeSource& from, PixelRect where) {
            if (const auto* frame = std::get_if<FrameId>(&from))
                return part_of(sources.frames, *frame, where, job.quiet());
            return part_of(sources.results, std::get<ResultId>(from), where, sources.frames.curve(),
                           job.quiet());
        },
        job);
    return picture;
}

}  // namespace moorhaze
