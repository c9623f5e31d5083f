// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finish/carried_finish.h"

#include <cmath>
#include <numbers>

#include "core/align/homography.h"
#include "core/finish/framing.h"
#include "core/work/errors.h"

namespace moorhaze {
namespace {

/// What a map does close to a place: where the place goes, and how much larger and turned things are there.
struct LocalMap {
    cv::Point2d place;
    double scale = 1, turn_deg = 0;  ///< turned clockwise
};

/// @throws BadParameter for a place that no picture reaches.
cv::Point2d place_there(const cv::Matx33d& to_plane, double x, double y) {
    const cv::Point2d place = mapped(to_plane, x, y);
    constexpr double kFarOut = 1e6;  // px
    if (!(std::abs(place.x) < kFarOut && std::abs(place.y) < kFarOut))
        throw BadParameter("a place of the finish would lie outside of every picture");
    return place;
}

LocalMap local_map(const cv::Matx33d& to_plane, cv::Point2d place) {
    const cv::Point2d here = place_there(to_plane, place.x, place.y),
                      right = place_there(to_plane, place.x + 1, place.y) - here,
                      below = place_there(to_plane, place.x, place.y + 1) - here;
    // The nearest similarity: the mean of what becomes of both axes.
    const double along = (right.x + below.y) / 2, across = (right.y - below.x) / 2;
    return {here, std::hypot(along, across), std::atan2(across, along) * 180 / std::numbers::pi};
}

Framing carried_framing(Framing framing, const cv::Matx33d& to_plane) {
    if (framing.turn_deg == 0 && !framing.crop) return framing;
    Framing before = framing;
    before.is_off = false;  // what is switched off is carried, too
    const cv::Matx33d turned = to_turned(before);
    cv::Point2d middle = before.turned_about;
    if (before.crop)
        middle = {before.crop->x + (before.crop->width - 1) / 2.0,
                  before.crop->y + (before.crop->height - 1) / 2.0};
    const cv::Point2d shown = mapped(turned.inv(), middle.x, middle.y);
    const LocalMap there = local_map(to_plane, shown);
    if (before.turn_deg != 0) {
        framing.turn_deg = before.turn_deg - there.turn_deg;
        framing.turned_about = place_there(to_plane, before.turned_about.x, before.turned_about.y);
    }
    if (before.crop) {
        Framing after = framing;
        after.is_off = false;
        const cv::Point2d at = mapped(to_turned(after), there.place.x, there.place.y);
        const int width = std::max(1, int(std::lround(before.crop->width * there.scale))),
                  height = std::max(1, int(std::lround(before.crop->height * there.scale)));
        framing.crop = PixelRect(int(std::lround(at.x - (width - 1) / 2.0)),
                                 int(std::lround(at.y - (height - 1) / 2.0)), width, height);
    }
    return framing;
}

SharedList<SharpenedStroke> carried_strokes(const SharedList<SharpenedStroke>& painted,
                                            const cv::Matx33d& to_plane) {
    std::vector<SharpenedStroke> strokes(painted.begin(), painted.end());
    for (SharpenedStroke& stroke : strokes) {
        if (stroke.points.empty()) continue;
        // One size for the whole stroke, as a brush has.
        stroke.radius_px *= local_map(to_plane, stroke.points[stroke.points.size() / 2]).scale;
        for (cv::Point2d& point : stroke.points) point = place_there(to_plane, point.x, point.y);
    }
    return SharedList(strokes);
}

}  // namespace

Finish carried_over(Finish finish, const cv::Matx33d& to_plane) {
    finish.framing = carried_framing(finish.framing, to_plane);
    if (finish.ground.picked)
        finish.ground.picked = place_there(to_plane, finish.ground.picked->x, finish.ground.picked->y);
    finish.detail.painted = carried_strokes(finish.detail.painted, to_plane);
    check(finish);
    return finish;
}

}  // namespace moorhaze
