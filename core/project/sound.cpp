// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/sound.h"

#include <algorithm>
#include <cmath>
#include <set>

namespace moorhaze {
namespace {

constexpr double kMostPx = 1e6;  // farther out lies no picture
constexpr double kMostRadius =
    1000;  // px: the largest brush; what grows by it takes its square in time and memory

void require(bool holds, const std::string& otherwise) {
    if (!holds) throw FileError("is damaged (" + otherwise + ")");
}

bool lies_within(double value, double most) {
    return std::isfinite(value) && std::abs(value) <= most;
}

void check_frames(const SharedList<ProjectFrame>& frames, std::set<FrameId>& ids) {
    for (const ProjectFrame& frame : frames) {
        require(frame.id.value > 0, "a frame has no number");
        require(ids.insert(frame.id).second, "two frames have the number " + std::to_string(frame.id.value));
        require(!frame.path.empty(), "a frame has no file");
    }
}

void check_points(const std::vector<StrokePoint>& points) {
    for (const StrokePoint& point : points)
        require(lies_within(point.x_px, kMostPx) && lies_within(point.y_px, kMostPx),
                "a stroke leads out of every picture");
}

void check_strokes(const SharedList<Stroke>& strokes) {
    for (const Stroke& stroke : strokes) {
        require(stroke.radius_px >= 0.5 && stroke.radius_px <= kMostRadius,
                "a stroke has an impossible radius");
        require(stroke.softness >= 0 && stroke.softness <= 1 && stroke.flow >= 0 && stroke.flow <= 1,
                "a stroke has an impossible softness or flow");
        check_points(stroke.points);
        if (const auto* within = std::get_if<WithinOutline>(&stroke.shape))
            for (const std::vector<StrokePoint>& outline : within->outlines) check_points(outline);
        if (const auto* rule = std::get_if<WhereRule>(&stroke.shape))
            require(lies_within(rule->least, kMostPx) && lies_within(rule->most, kMostPx),
                    "a stroke has an impossible rule");
        if (const auto* fade = std::get_if<FadeAcross>(&stroke.shape))
            require(stroke.points.size() == 2 &&
                        (fade->through.empty() || !std::holds_alternative<FromPlace>(stroke.source)),
                    "a fade leads nowhere");
        if (const auto* place = std::get_if<FromPlace>(&stroke.source))
            require(lies_within(place->dx_px, kMostPx) && lies_within(place->dy_px, kMostPx),
                    "a stroke is copied from out of every picture");
    }
}

void check_development(const Development& own) {
    require(own.orientation >= 0 && own.orientation <= 8, "an impossible orientation");
    for (const double value : {own.red, own.blue, own.exposure_ev, own.black_shift, own.white_shift})
        require(lies_within(value, 1000), "an impossible development");
}

void check_choice(const MergeChoice& choice) {
    try {
        merge_method(choice.method);
        check(choice.settings);
    } catch (const BadParameter& error) {
        require(false, error.what());
    }
}

void check_placing(const Placing& placing) {
    for (const PointPair& pair : placing.points)
        for (const cv::Point2d& point : {pair.in_one, pair.in_other})
            require(lies_within(point.x, kMostPx) && lies_within(point.y, kMostPx),
                    "a matching point lies out of every picture");
}

void check_made_from(const MadeFrom& from) {
    check_choice(from.choice);
    check_placing(from.align.placing);
    check_development(from.align.look.development);
    std::set<FrameId> ids;
    for (const FrameVersion& frame : from.align.look.frames)
        require(ids.insert(frame.id).second, "a result is made of a frame twice");
    require(!ids.empty(), "a result is made of nothing");
    require(ids.contains(from.align.reference), "a result has a reference frame that it is not made of");
    for (const auto* list : {&from.align.used, &from.frames})
        require(std::all_of(list->begin(), list->end(), [&](FrameId id) { return ids.contains(id); }),
                "a result is made of frames that it does not name");
}

}  // namespace

void check_sound(const Project& project) {
    std::set<FrameId> ids;
    check_frames(project.frames, ids);
    for (const auto& end : {project.nearest, project.farthest, project.reference, project.merge.backdrop})
        require(!end || ids.contains(*end), "it names a frame that it has not");
    check_development(project.development);
    check_placing(project.placing);
    check_choice(project.merge);
    std::set<ResultId> results;
    for (const ProjectResult& result : project.results) {
        require(result.id.value > 0 && results.insert(result.id).second, "two results have the same number");
        check_made_from(result.made_from);
        check_strokes(result.strokes);
        if (result.saved_strokes) check_strokes(*result.saved_strokes);
    }
    std::set<FrameId> on_card;
    for (const CardSeries& series : project.card) check_frames(series.frames, on_card);
    require(!project.card_place || (*project.card_place >= 0 && *project.card_place < project.card.size()),
            "the open series is not on its card");
}

}  // namespace moorhaze
