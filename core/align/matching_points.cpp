// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/align/matching_points.h"

#include <algorithm>
#include <cmath>

#include "core/picture/pyramid.h"

namespace moorhaze {
namespace {

constexpr int kAround = 64;  // px of the pictures that are looked at, to each side
constexpr double kUnlike = 0.7;

/// The pixels around a place, and where they begin.
struct Part {
    cv::Mat1f luma;
    cv::Point from;
};
Part part_around(const cv::Mat1f& luma, cv::Point2d at) {
    const cv::Point middle(int(std::lround(at.x)), int(std::lround(at.y)));
    const cv::Rect around =
        cv::Rect(middle.x - kAround, middle.y - kAround, 2 * kAround + 1, 2 * kAround + 1) &
        cv::Rect({}, luma.size());
    return around.empty() ? Part{} : Part{luma(around), around.tl()};
}

bool is_inside(const cv::Mat1f& luma, cv::Point at) {
    constexpr int margin = Spot::kReach + 2;
    return at.x >= margin && at.y >= margin && at.x < luma.cols - margin && at.y < luma.rows - margin;
}

std::optional<cv::Point2d> found_at(const cv::Mat1f& one, cv::Point2d in_one, const cv::Mat1f& other,
                                    cv::Point2d in_other) {
    const cv::Point at(int(std::lround(in_one.x)), int(std::lround(in_one.y)));
    if (!is_inside(one, at)) return {};
    // The spot stands on a whole pixel: what the point is off it, its partner is too.
    const cv::Point2d rest = in_one - cv::Point2d(at);
    const auto find = find_spot(cut_spot(one, at, 0), other, 0, in_other - rest, cv::Matx22d::eye());
    if (!find || find->likeness < kUnlike) return {};
    return find->at + rest;
}

}  // namespace

std::optional<cv::Point2d> refined_match(const cv::Mat1f& one, cv::Point2d in_one, const cv::Mat1f& other,
                                         cv::Point2d in_other) {
    const Part here = part_around(one, in_one), there = part_around(other, in_other);
    if (here.luma.empty() || there.luma.empty()) return {};
    const cv::Point2d own = in_one - cv::Point2d(here.from);
    cv::Point2d partner = in_other - cv::Point2d(there.from);
    // At half size first: there a hand is off by half as much. Halves keep every second pixel, so places
    // halve.
    const cv::Mat1f half_here = pyramid_down(here.luma.clone(), {}),
                    half_there = pyramid_down(there.luma.clone(), {});
    if (const auto near = found_at(half_here, own * 0.5, half_there, partner * 0.5)) partner = *near * 2;
    const auto found = found_at(here.luma, own, there.luma, partner);
    if (!found) return {};
    return *found + cv::Point2d(there.from);
}

}  // namespace moorhaze
