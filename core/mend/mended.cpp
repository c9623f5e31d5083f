// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mend/mended.h"

#include <algorithm>
#include <cmath>

#include "core/mend/grown.h"
#include "core/mend/healing_place.h"
#include "core/mend/stroke_rendering.h"
#include "core/mend/thing.h"

namespace moorhaze {
namespace {

constexpr int kStrip = 256;         // rows
constexpr int kWidest = 4;          // times the usual, that a thing is looked for around its scribble
constexpr double kThingRim_px = 2;  // over which a thing's edge passes into the picture

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
    LinearFrame warped = result_over(found->second, area, curve, job);
    return {warped.pixels, std::move(warped.covered)};
}

/// The depth of what a stroke brings to a place, a frame number; 0: the merge's own.
float depth_brought(const Stroke& stroke, cv::Point place, const FrameSource& frames) {
    const FrameId* frame = std::get_if<FrameId>(&stroke.source);
    if (const auto* fade = std::get_if<FadeAcross>(&stroke.shape); fade && !fade->through.empty()) {
        const auto passed = std::size_t(std::lround(std::max(1.0, fade_place(stroke, place.x, place.y)))) - 1;
        if (passed < fade->through.size()) frame = &fade->through[passed];
    }
    return frame ? float(frames.index_of(*frame).value_or(-1) + 1) : 0;
}

}  // namespace

SourcePixels pixels_of(const MendSources& sources, const Job& job) {
    return [&](const StrokeSource& from, PixelRect where) {
        if (const auto* frame = std::get_if<FrameId>(&from))
            return part_of(sources.frames, *frame, where, job.quiet());
        return part_of(sources.results, std::get<ResultId>(from), where, sources.frames.curve(), job.quiet());
    };
}

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

LinearFrame result_over(const ResultSource& result, PixelRect area, const ToneCurve& curve, const Job& job) {
    const MergeResult& merge = *result.merge;
    const cv::Matx33d in_its_plane(1, 0, double(merge.area.x), 0, 1, double(merge.area.y), 0, 0, 1);
    const WarpPlan plan{.frame_to_reference = result.to_plane * in_its_plane, .target = area};
    return WarpedFrame({merge.picture.pixels, {}, merge.picture.profile}, curve, plan).all(job);
}

MergePlanes planes_of(const MergeResult& merge, const Series& series) {
    MergePlanes planes{merge.area, merge.depth, merge.trust, merge.source, {}};
    for (const Frame& frame : series.frames) planes.frames.push_back(frame.id);
    return planes;
}

Picture mended(const MergeResult& merge, const SharedList<Stroke>& strokes, const MendSources& sources,
               PixelRect area, const Job& job) {
    area &= merge.area;
    Picture picture{{}, {}, merge.picture.profile};
    if (area.empty()) return picture;
    if (!merge.picture.alpha.empty()) picture.alpha = merge.picture.alpha(area - merge.area.tl());
    picture.pixels = render_strokes(merge.picture, planes_of(merge, sources.frames.series()), strokes, area,
                                    sources.frames.curve(), pixels_of(sources, job), job);
    return picture;
}

MergeResult mended_merge(const MergeResult& merge, const SharedList<Stroke>& strokes,
                         const MendSources& sources, const Job& job) {
    MergeResult as_mended = merge;
    as_mended.picture = mended(merge, strokes, sources, merge.area, job);
    if (merge.depth.empty()) return as_mended;
    const MergePlanes planes = planes_of(merge, sources.frames.series());
    as_mended.depth = merge.depth.clone();
    // A strip at a time, so that no more planes of the whole are held.
    for (int top = 0; top < merge.area.height; top += kStrip) {
        const PixelRect strip =
            PixelRect(merge.area.x, merge.area.y + top, merge.area.width, kStrip) & merge.area;
        const Painted painted = painted_on(strokes, strip, planes, job.quiet());
        job.checkpoint();
        for (int y = 0; y < strip.height; ++y)
            for (int x = 0; x < strip.width; ++x)
                if (const int stroke = painted.stroke(y, x); stroke > 0 && painted.share(y, x) > 0.5f)
                    if (const float depth =
                            depth_brought(strokes[stroke - 1], strip.tl() + cv::Point(x, y), sources.frames);
                        depth > 0)
                        as_mended.depth(top + y, x) = depth;
    }
    return as_mended;
}

Stroke healing(const MergeResult& merge, const SharedList<Stroke>& strokes, const MendSources& sources,
               Stroke path, const Job& job) {
    const PixelRect reach = reach_of(path) & merge.area;
    if (reach.empty()) throw BadParameter("there is no picture to heal where the stroke lies");
    const PixelRect around = grown(reach, healing_reach(path.radius_px)) & merge.area;
    const MergePlanes planes = planes_of(merge, sources.frames.series());
    const cv::Mat3f light = light_beneath(merge.picture, planes, strokes, around, sources.frames.curve(),
                                          pixels_of(sources, job), job);
    path.match_tone = true;
    path.source = healing_place(light, stroke_mask(path, around, planes, job.quiet()), path.radius_px, job);
    return path;
}

Stroke taking_the_thing(const MergeResult& merge, const SharedList<Stroke>& strokes,
                        const MendSources& sources, const Stroke& scribble, const Job& job) {
    const PixelRect reach = reach_of(scribble) & merge.area;
    if (reach.empty()) throw BadParameter("there is no picture where the scribble lies");
    const MergePlanes planes = planes_of(merge, sources.frames.series());
    const SourcePixels pixels = pixels_of(sources, job);
    const bool is_own = std::holds_alternative<WipeBack>(scribble.source) ||
                        std::holds_alternative<FromPlace>(scribble.source);
    Stroke marks = scribble;
    marks.flow = 1;
    Thing thing;
    // Farther around where the thing goes on.
    for (int times = 1; times == 1 || (thing.is_cut_off && times <= kWidest); times *= kWidest) {
        const PixelRect around = grown(reach, times * thing_reach(reach.size())) & merge.area;
        const cv::Mat3f light = is_own ? light_beneath(merge.picture, planes, strokes, around,
                                                       sources.frames.curve(), pixels, job)
                                       : pixels(scribble.source, around).light;
        const cv::Mat1f depth = merge.depth.empty() ? cv::Mat1f() : merge.depth(around - merge.area.tl());
        thing = thing_at(light, depth, stroke_mask(marks, around, planes, job.quiet()) > 0.5f, around.tl(),
                         merge.area, job);
    }
    Stroke taken = scribble;
    taken.points.clear();
    taken.radius_px = kThingRim_px, taken.softness = 0.5;
    taken.shape = WithinOutline{thing.outlines};
    return taken;
}

}  // namespace moorhaze
