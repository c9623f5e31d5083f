// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finish/framing.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <opencv2/imgproc.hpp>

#include "core/align/homography.h"
#include "core/work/errors.h"

namespace moorhaze {
namespace {

constexpr double kRadians = std::numbers::pi / 180;

bool is_turned(const Framing& framing) {
    return !framing.is_off && framing.turn_deg != 0;
}

cv::Point2d middle_of(PixelRect area) {
    return {area.x + (area.width - 1) / 2.0, area.y + (area.height - 1) / 2.0};
}

/// Outer corners, from pixel edge to pixel edge.
std::array<cv::Point2d, 4> corners_of(PixelRect area) {
    const double left = area.x - 0.5, top = area.y - 0.5, right = area.br().x - 0.5,
                 bottom = area.br().y - 0.5;
    return {cv::Point2d(left, top), {right, top}, {right, bottom}, {left, bottom}};
}

bool holds(const Framing& framing, PixelRect merge, PixelRect area) {
    const cv::Matx33d back = to_turned(framing).inv();
    constexpr double kSlack = 1e-6;
    for (const cv::Point2d& corner : corners_of(area)) {
        const cv::Point2d at = mapped(back, corner.x, corner.y);
        if (at.x < merge.x - 0.5 - kSlack || at.y < merge.y - 0.5 - kSlack ||
            at.x > merge.br().x - 0.5 + kSlack || at.y > merge.br().y - 0.5 + kSlack)
            return false;
    }
    return true;
}

}  // namespace

cv::Matx33d to_turned(const Framing& framing) {
    if (!is_turned(framing)) return cv::Matx33d::eye();
    const double c = std::cos(framing.turn_deg * kRadians), s = std::sin(framing.turn_deg * kRadians);
    const cv::Point2d about = framing.turned_about;
    return {c, -s, about.x - c * about.x + s * about.y, s, c, about.y - s * about.x - c * about.y, 0, 0, 1};
}

PixelRect turned_area(const Framing& framing, PixelRect merge) {
    if (!is_turned(framing)) return merge;
    double left = 1e9, top = 1e9, right = -1e9, bottom = -1e9;
    for (const cv::Point2d& corner : corners_of(merge)) {
        const cv::Point2d at = mapped(to_turned(framing), corner.x, corner.y);
        left = std::min(left, at.x), right = std::max(right, at.x);
        top = std::min(top, at.y), bottom = std::max(bottom, at.y);
    }
    const int x = int(std::floor(left + 0.5)), y = int(std::floor(top + 0.5));
    return {x, y, int(std::ceil(right + 0.5)) - x, int(std::ceil(bottom + 0.5)) - y};
}

PixelRect inside_turned(const Framing& framing, PixelRect merge) {
    if (!is_turned(framing)) return merge;
    // With the sides a >= b of the turned rectangle: either two opposite corners of the upright one lie on
    // the long sides (and it is b / (2 sin) by b / (2 cos)), or all four touch a side each.
    const double s = std::abs(std::sin(framing.turn_deg * kRadians)),
                 c = std::abs(std::cos(framing.turn_deg * kRadians));
    const double a = std::max(merge.width, merge.height), b = std::min(merge.width, merge.height);
    double across, down;
    if (b <= 2 * s * c * a) {
        across = 0.5 * b / s, down = 0.5 * b / c;
        if (merge.width < merge.height) std::swap(across, down);
    } else {
        const double spread = c * c - s * s;
        across = (merge.width * c - merge.height * s) / spread;
        down = (merge.height * c - merge.width * s) / spread;
    }
    const cv::Point2d middle = mapped(to_turned(framing), middle_of(merge).x, middle_of(merge).y);
    const int left = int(std::ceil(middle.x - across / 2 + 0.5 - 1e-9)),
              top = int(std::ceil(middle.y - down / 2 + 0.5 - 1e-9)),
              right = int(std::floor(middle.x + across / 2 + 0.5 + 1e-9)),
              bottom = int(std::floor(middle.y + down / 2 + 0.5 + 1e-9));
    return {left, top, std::max(1, right - left), std::max(1, bottom - top)};
}

PixelRect kept_of(const Framing& framing, PixelRect merge) {
    if (is_neutral(framing)) return merge;
    const bool leaves_out = framing.corners == EmptyCorners::left_out;
    PixelRect kept = turned_area(framing, merge);
    if (framing.crop) kept &= *framing.crop;
    if (leaves_out && !kept.empty() && !holds(framing, merge, kept)) kept &= inside_turned(framing, merge);
    if (kept.empty())
        throw BadParameter("the crop lies outside of the picture; draw it anew, or take all of the picture");
    return kept;
}

PixelRect kept_or_all(const Framing& framing, PixelRect merge) {
    try {
        return kept_of(framing, merge);
    } catch (const BadParameter&) {
        return turned_area(framing, merge);
    }
}

bool keeps_empty_corners(const Framing& framing, PixelRect merge) {
    return !holds(framing, merge, kept_or_all(framing, merge));
}

PixelRect suggested_crop(PixelRect merge, PixelRect covered, const cv::Mat& alpha) {
    PixelRect inside = merge & covered;
    if (inside.empty()) inside = merge;
    if (alpha.empty()) return inside;
    // Sides are drawn in one by one, always where the most is empty.
    const double opaque = alpha.depth() == CV_16U ? 65535 : 255;
    auto empty_share = [&](PixelRect strip) {
        const cv::Mat part = alpha(strip - merge.tl());
        return 1 - cv::sum(part)[0] / (opaque * double(part.total()));
    };
    while (inside.width > 2 && inside.height > 2) {
        const PixelRect strips[] = {{inside.x, inside.y, 1, inside.height},
                                    {inside.br().x - 1, inside.y, 1, inside.height},
                                    {inside.x, inside.y, inside.width, 1},
                                    {inside.x, inside.br().y - 1, inside.width, 1}};
        double worst = 0;
        int side = -1;
        for (int i = 0; i < 4; ++i)
            if (const double share = empty_share(strips[i]); share > worst) worst = share, side = i;
        if (side < 0) break;
        if (side == 0) ++inside.x;
        if (side == 2) ++inside.y;
        (side < 2 ? inside.width : inside.height) -= 1;
    }
    return inside;
}

Framing with_turn(Framing framing, PixelRect merge, double turn_deg) {
    // The place in the middle of what is kept stays where it is.
    const PixelRect kept = framing.crop.value_or(turned_area(framing, merge));
    const cv::Point2d shown = middle_of(kept);
    const cv::Point2d own = mapped(to_turned(framing).inv(), shown.x, shown.y);
    framing.turn_deg = std::clamp(turn_deg, -45.0, 45.0);
    framing.turned_about = {};
    if (!is_turned(framing)) return framing;
    // about + R (own - about) = shown, with R the rotation: (1 - R) about = shown - R own.
    const cv::Matx33d turn = to_turned(framing);
    const cv::Matx22d rest(1 - turn(0, 0), -turn(0, 1), -turn(1, 0), 1 - turn(1, 1));
    const cv::Point2d moved = mapped(turn, own.x, own.y);
    const cv::Vec2d about = rest.inv() * cv::Vec2d(shown.x - moved.x, shown.y - moved.y);
    framing.turned_about = {about[0], about[1]};
    return framing;
}

Framing with_level_line(Framing framing, PixelRect merge, cv::Point2d from, cv::Point2d to) {
    double angle = std::atan2(to.y - from.y, to.x - from.x) / kRadians;
    angle -= 90 * std::round(angle / 90);  // to the nearer of level and upright
    return with_turn(std::move(framing), merge, (framing.is_off ? 0 : framing.turn_deg) - angle);
}

PixelRect of_shape(PixelRect within, double across, double down) {
    const double scale = std::min(within.width / across, within.height / down);
    const int width = std::clamp(int(std::lround(across * scale)), 1, within.width),
              height = std::clamp(int(std::lround(down * scale)), 1, within.height);
    return {within.x + (within.width - width) / 2, within.y + (within.height - height) / 2, width, height};
}

}  // namespace moorhaze
