// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>
#include <cmath>

#include "core/align/homography.h"
#include "core/finish/carried_finish.h"
#include "core/finish/finished.h"
#include "core/finish/framing.h"
#include "core/work/errors.h"
#include "tests/support/textured.h"

using namespace moorhaze;

namespace {

const PixelRect kMerge(40, 20, 600, 400);

Framing turned(double degrees) {
    return with_turn({}, kMerge, degrees);
}

}  // namespace

TEST_CASE("a neutral framing keeps all of the merge", "[finish]") {
    CHECK(kept_of({}, kMerge) == kMerge);
    CHECK(turned_area({}, kMerge) == kMerge);
    CHECK_FALSE(keeps_empty_corners({}, kMerge));
}

TEST_CASE("a picture is turned around what is shown in its middle", "[finish]") {
    const cv::Matx33d turn = to_turned(turned(10));
    const cv::Point2d middle(kMerge.x + (kMerge.width - 1) / 2.0, kMerge.y + (kMerge.height - 1) / 2.0);
    const cv::Point2d stays = mapped(turn, middle.x, middle.y);
    CHECK(std::hypot(stays.x - middle.x, stays.y - middle.y) < 0.51);  // whole-pixel areas
    // Clockwise: what lies to the right goes down.
    const cv::Point2d right = mapped(turn, middle.x + 100, middle.y);
    CHECK(right.y > middle.y + 10);
}

TEST_CASE("turning on keeps the place in the middle of the crop", "[finish]") {
    Framing framing = turned(5);
    framing.crop = PixelRect(200, 150, 200, 120);
    const cv::Point2d shown(299.5, 209.5);
    const cv::Point2d own = mapped(to_turned(framing).inv(), shown.x, shown.y);
    const Framing more = with_turn(framing, kMerge, 12);
    const cv::Point2d after = mapped(to_turned(more), own.x, own.y);
    CHECK(std::hypot(after.x - shown.x, after.y - shown.y) < 1e-6);
}

TEST_CASE("the largest upright rectangle lies within the turned picture and touches its edge", "[finish]") {
    for (const double degrees : {-45.0, -20.0, -3.0, 0.5, 8.0, 44.0})
        for (const PixelRect merge : {kMerge, PixelRect(0, 0, 300, 900), PixelRect(0, 0, 1000, 90)}) {
            const Framing framing = with_turn({}, merge, degrees);
            const PixelRect inside = inside_turned(framing, merge);
            INFO(degrees << " " << merge << " " << inside);
            auto holds = [&](PixelRect area) {
                const cv::Matx33d back = to_turned(framing).inv();
                for (const auto& [x, y] : {std::pair(area.x, area.y),
                                           {area.br().x - 1, area.y},
                                           {area.x, area.br().y - 1},
                                           {area.br().x - 1, area.br().y - 1}}) {
                    const cv::Point2d at = mapped(back, x, y);
                    if (at.x < merge.x - 1.0 || at.y < merge.y - 1.0 || at.x > merge.br().x ||
                        at.y > merge.br().y)
                        return false;
                }
                return true;
            };
            CHECK(holds(inside));
            CHECK_FALSE(holds(PixelRect(inside.x - 4, inside.y - 4, inside.width + 8, inside.height + 8)));
        }
}

TEST_CASE("a crop that reaches into empty corners gives way, or keeps them when asked", "[finish]") {
    Framing framing = turned(10);
    framing.crop = kMerge;
    const PixelRect inside = inside_turned(framing, kMerge);
    CHECK((kept_of(framing, kMerge) & inside) == kept_of(framing, kMerge));
    CHECK_FALSE(keeps_empty_corners(framing, kMerge));
    framing.corners = EmptyCorners::transparent;
    CHECK(kept_of(framing, kMerge) == kMerge);
    CHECK(keeps_empty_corners(framing, kMerge));
    framing.corners = EmptyCorners::left_out;
    framing.crop = PixelRect(300, 180, 60, 40);
    CHECK(kept_of(framing, kMerge) == *framing.crop);
    framing.crop = PixelRect(3000, 10, 60, 40);
    CHECK_THROWS_WITH(kept_of(framing, kMerge), Catch::Contains("outside of the picture"));
    CHECK(kept_or_all(framing, kMerge) == turned_area(framing, kMerge));
}

TEST_CASE("a drawn line becomes level or upright, whichever is nearer", "[finish]") {
    const double tilt = 3 * CV_PI / 180;
    const cv::Point2d from(100, 200), right(from.x + 300 * std::cos(tilt), from.y + 300 * std::sin(tilt)),
        down(from.x - 300 * std::sin(tilt), from.y + 300 * std::cos(tilt));
    for (const cv::Point2d& to : {right, down, 2 * from - right}) {
        const Framing level = with_level_line({}, kMerge, from, to);
        CHECK(level.turn_deg == Approx(-3).margin(1e-9));
    }
    // Drawn in the turned picture, it corrects the turn there is.
    CHECK(with_level_line(turned(2), kMerge, from, right).turn_deg == Approx(-1).margin(1e-9));
}

TEST_CASE("the suggested crop leaves out what is empty", "[finish]") {
    cv::Mat1w alpha(400, 600, std::uint16_t(65535));
    alpha(cv::Rect(0, 0, 7, 400)) = 0;
    alpha(cv::Rect(0, 390, 600, 10)) = 20000;
    CHECK(suggested_crop(kMerge, kMerge, alpha) == PixelRect(47, 20, 593, 390));
    CHECK(suggested_crop(kMerge, PixelRect(50, 30, 500, 300), {}) == PixelRect(50, 30, 500, 300));
}

TEST_CASE("a shape is as large as it can be in the middle", "[finish]") {
    CHECK(of_shape({10, 0, 600, 400}, 1, 1) == PixelRect(110, 0, 400, 400));
    CHECK(of_shape({0, 0, 600, 400}, 2, 1) == PixelRect(0, 50, 600, 300));
}

TEST_CASE("a crop alone is a copy of its pixels", "[finish]") {
    const Picture picture = test::colourful({90, 70}, 16, false);
    Finish finish;
    finish.framing.crop = PixelRect(112, 215, 30, 20);
    const Picture made = finished(*finish_subject(picture, {100, 200}, 1, {}), finish, {});
    CHECK(cv::norm(made.pixels, picture.pixels(cv::Rect(12, 15, 30, 20)), cv::NORM_INF) == 0);
    CHECK(made.alpha.empty());
}

TEST_CASE("a turned picture shows what the turn says, corners left out, transparent or white", "[finish]") {
    const test::Texture texture(3, 40, 30, 120);
    const Picture picture = test::picture_from({300, 200}, [&](int x, int y) { return texture.at(x, y); });
    const auto subject = finish_subject(picture, {}, 1, {});
    Finish finish;
    finish.framing = with_turn({}, subject->area, 7);
    const PixelRect kept = kept_of(finish.framing, subject->area);
    const Picture made = finished(*subject, finish, {});
    REQUIRE(made.pixels.size() == kept.size());
    CHECK(made.alpha.empty());
    const cv::Matx33d back = to_turned(finish.framing).inv();
    double worst = 0;
    for (int y = 4; y < made.height() - 4; ++y)
        for (int x = 4; x < made.width() - 4; ++x) {
            const cv::Point2d at = mapped(back, kept.x + x, kept.y + y);
            worst = std::max(worst,
                             std::abs(made.pixels.at<cv::Vec3w>(y, x)[1] / 65535.0 - texture.at(at.x, at.y)));
        }
    CHECK(worst < 0.004);  // of the kernel, for waves of 30 px and longer
    finish.framing.corners = EmptyCorners::transparent;
    const Picture open = finished(*subject, finish, {});
    REQUIRE_FALSE(open.alpha.empty());
    CHECK(open.alpha.at<std::uint16_t>(0, 0) == 0);
    CHECK(open.alpha.at<std::uint16_t>(open.height() / 2, open.width() / 2) == 65535);
    finish.framing.corners = EmptyCorners::white;
    const Picture white = finished(*subject, finish, {});
    CHECK(white.alpha.empty());
    CHECK(white.pixels.at<cv::Vec3w>(0, 0) == cv::Vec3w(65535, 65535, 65535));
}

namespace {

/// A map of the plane that turns clockwise, then grows around (300, 200), then shifts.
cv::Matx33d similarity(double degrees, double scale, cv::Point2d shift) {
    const double c = scale * std::cos(degrees * CV_PI / 180), s = scale * std::sin(degrees * CV_PI / 180);
    return {c, -s, 300 - c * 300 + s * 200 + shift.x, s, c, 200 - s * 300 - c * 200 + shift.y, 0, 0, 1};
}

/// A texture as a picture of a plane that lies otherwise.
Picture laid(const test::Texture& texture, const cv::Matx33d& to_plane, cv::Size size) {
    const cv::Matx33d back = to_plane.inv();
    return test::picture_from(size, [&](int x, int y) {
        const cv::Point2d at = mapped(back, x, y);
        return texture.at(at.x, at.y);
    });
}

}  // namespace

TEST_CASE("a finish that is carried over shows the same part of the picture, turned as it was", "[finish]") {
    const cv::Size size(600, 400);
    const test::Texture texture(4, 40, 24);
    Finish finish;
    finish.framing = with_turn({}, {{}, size}, 6);
    finish.framing.crop = PixelRect(180, 120, 240, 160);
    // Sharpened to the right of a line down the middle of what is kept.
    finish.detail.sharpening = 2;
    finish.detail.radius_px = 3;
    finish.detail.painted = {{{{360, 140}, {350, 240}}, 40, 0, false}};
    const auto shown = [&](const Finish& own, const cv::Matx33d& plane) {
        return finished(*finish_subject(laid(texture, plane, size), {}, 1, {}), own, {}).pixels;
    };
    const cv::Mat there = shown(finish, cv::Matx33d::eye());
    const auto difference = [](const cv::Mat& one, const cv::Mat& other) {
        REQUIRE(one.size() == other.size());
        return cv::norm(one, other, cv::NORM_L1) / double(3 * one.total()) / 65535;
    };

    // Shifted by whole pixels it is the very same.
    const cv::Matx33d shifted = similarity(0, 1, {13, -9});
    const Finish along = carried_over(finish, shifted);
    CHECK(*along.framing.crop == PixelRect(193, 111, 240, 160));
    CHECK(difference(shown(along, shifted), there) < 1e-4);
    // Turned in its plane, it is turned back by as much.
    const cv::Matx33d leaning = similarity(2.5, 1, {7, 4});
    const Finish upright = carried_over(finish, leaning);
    CHECK(upright.framing.turn_deg == Approx(3.5));
    CHECK(difference(shown(upright, leaning), there) < 0.006);  // the crop lies at whole pixels
    CHECK(difference(shown(finish, leaning), there) > 0.05);    // where it would lie otherwise
    // Grown, it keeps as much of what is seen in more pixels.
    const cv::Matx33d grown = similarity(0, 1.1, {0, 0});
    const Finish larger = carried_over(finish, grown);
    CHECK(larger.framing.crop->size() == cv::Size(264, 176));
    CHECK(larger.detail.painted[0].radius_px == Approx(44));
    // And the way back is the way there.
    const cv::Matx33d any = similarity(-4, 1.03, {-20, 11});
    const Finish back = carried_over(carried_over(finish, any), any.inv());
    CHECK(back.framing.turn_deg == Approx(6));
    CHECK(std::abs(back.framing.crop->x - 180) <= 1);
    CHECK(std::abs(back.framing.crop->width - 240) <= 1);
    CHECK(back.detail.painted[0].points[1].y == Approx(240));
}

TEST_CASE("a picture that was not turned stays so in another plane, its ground and crop go along",
          "[finish]") {
    Finish finish;
    finish.framing.crop = PixelRect(100, 80, 101, 61);
    finish.framing.is_off = true;
    finish.ground.picked = cv::Point2d(30, 350);
    const cv::Matx33d leaning = similarity(2, 1, {10, 0});
    const Finish own = carried_over(finish, leaning);
    CHECK(own.framing.turn_deg == 0);
    CHECK(own.framing.is_off);
    const cv::Point2d middle = mapped(leaning, 150, 110), ground = mapped(leaning, 30, 350);
    CHECK(own.framing.crop->size() == cv::Size(101, 61));
    CHECK(own.framing.crop->x + 50 == std::lround(middle.x));
    CHECK(own.framing.crop->y + 30 == std::lround(middle.y));
    CHECK(*own.ground.picked == ground);
    CHECK(carried_over({}, leaning) == Finish{});
    CHECK_THROWS_AS(carried_over(finish, cv::Matx33d(1, 0, 0, 0, 1, 0, 0.01, 0.02, -3.7)), BadParameter);
}
