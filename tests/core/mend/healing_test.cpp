// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>
#include <opencv2/imgproc.hpp>

#include "core/mend/healing_place.h"
#include "core/mend/thing.h"

using namespace moorhaze;

namespace {

/// Grain on a ground that gets brighter to the right.
cv::Mat3f grainy(cv::Size size) {
    cv::RNG random(8);
    cv::Mat3f light(size), grain(size);
    random.fill(grain, cv::RNG::NORMAL, 0, 0.01);
    for (int y = 0; y < size.height; ++y)
        for (int x = 0; x < size.width; ++x)
            light(y, x) = cv::Vec3f::all(0.2f + 0.2f * float(x) / float(size.width)) + grain(y, x);
    return light;
}

cv::Mat1f mask_at(cv::Size size, cv::Point at, int radius) {
    cv::Mat1f mask(size, 0.0f);
    cv::circle(mask, at, radius, cv::Scalar(1), cv::FILLED);
    return mask;
}

}  // namespace

TEST_CASE("healing copies from smooth ground, never from a neighbouring speck or across an edge", "[mend]") {
    cv::Mat3f light = grainy({160, 160});
    cv::circle(light, {80, 80}, 5, cv::Scalar::all(0.02), cv::FILLED);   // what is to be healed
    cv::circle(light, {105, 80}, 5, cv::Scalar::all(0.02), cv::FILLED);  // another speck
    light.rowRange(0, 58) *= 3;                                          // something bright above
    const FromPlace place = healing_place(light, mask_at(light.size(), {80, 80}, 8), 8, {});
    const cv::Rect copied(80 + place.dx_px - 8, 80 + place.dy_px - 8, 17, 17);
    INFO(place.dx_px << ", " << place.dy_px);
    CHECK(copied.y >= 58);
    CHECK((copied & cv::Rect(100, 75, 11, 11)).empty());
    CHECK((copied & cv::Rect(72, 72, 17, 17)).area() < 40);
}

TEST_CASE("healing follows what runs through: a stripe is healed from along it", "[mend]") {
    cv::Mat3f light = grainy({160, 160});
    for (int y = 0; y < 160; ++y)
        for (int x = 0; x < 160; ++x)
            if (std::abs(x + y - 160) < 7) light(y, x) *= 2.5f;
    const FromPlace place = healing_place(light, mask_at(light.size(), {80, 80}, 9), 9, {});
    INFO(place.dx_px << ", " << place.dy_px);
    CHECK(std::abs(place.dx_px + place.dy_px) <= 3);
}

TEST_CASE("healing of nearly all there is says what to do", "[mend]") {
    const cv::Mat3f light = grainy({40, 40});
    CHECK_THROWS_AS(healing_place(light, mask_at(light.size(), {20, 20}, 25), 12, {}), BadParameter);
}

TEST_CASE("a scribble takes the whole thing, with its holes and without its surroundings", "[mend]") {
    cv::Mat3f light = grainy({300, 240});
    cv::Mat1f depth(light.size(), 9.0f);
    cv::Mat1b thing(light.size(), uchar(0));
    cv::ellipse(thing, {150, 120}, {70, 40}, 25, 0, 360, cv::Scalar(255), cv::FILLED);
    cv::circle(thing, {150, 120}, 12, cv::Scalar(0), cv::FILLED);  // a hole
    light.setTo(cv::Scalar(0.5, 0.3, 0.1), thing);
    depth.setTo(3, thing);
    cv::Mat1b scribble(light.size(), uchar(0));
    cv::line(scribble, {105, 105}, {195, 142}, cv::Scalar(255), 9);
    scribble.setTo(0, ~thing);
    const PixelRect picture(900, 400, 2000, 2000);
    const Thing taken_thing = thing_at(light, depth, scribble, {1000, 500}, picture, {});
    CHECK_FALSE(taken_thing.is_cut_off);
    Stroke taken;
    taken.softness = 0, taken.flow = 1;
    taken.shape = WithinOutline{taken_thing.outlines};
    const cv::Mat1b found = stroke_mask(taken, {1000, 500, 300, 240}, {}, {}) > 0.5f;
    const double both = cv::countNonZero(found & thing), either = cv::countNonZero(found | thing);
    CHECK(both / either > 0.95);
    CHECK(found(120, 150) == 0);
    CHECK(taken_thing.outlines == thing_at(light, depth, scribble, {1000, 500}, picture, {}).outlines);
}

TEST_CASE("by depth alone a thing of its ground's colour is taken", "[mend]") {
    const cv::Mat3f light = grainy({300, 240});
    cv::Mat1f depth(light.size(), 9.0f);
    cv::Mat1b thing(light.size(), uchar(0)), scribble(light.size(), uchar(0));
    cv::rectangle(thing, {100, 80, 90, 70}, cv::Scalar(255), cv::FILLED);
    depth.setTo(3, thing);
    cv::line(scribble, {120, 100}, {170, 130}, cv::Scalar(255), 9);
    Stroke taken;
    taken.softness = 0, taken.flow = 1;
    taken.shape = WithinOutline{thing_at(light, depth, scribble, {0, 0}, {0, 0, 300, 240}, {}).outlines};
    const cv::Mat1b found = stroke_mask(taken, {0, 0, 300, 240}, {}, {}) > 0.5f;
    CHECK(double(cv::countNonZero(found & thing)) / cv::countNonZero(found | thing) > 0.9);
}

TEST_CASE("a thing that goes on beyond what is looked at is told so, at the picture's edge it ends",
          "[mend]") {
    cv::Mat3f light = grainy({300, 240});
    cv::Mat1f depth(light.size(), 9.0f);
    cv::Mat1b scribble(light.size(), uchar(0));
    const cv::Rect stalk(120, 60, 60, 180);
    light(stalk).setTo(cv::Scalar(0.5, 0.3, 0.1));
    depth(stalk).setTo(3);
    cv::line(scribble, {150, 90}, {150, 180}, cv::Scalar(255), 9);
    CHECK(thing_at(light, depth, scribble, {0, 0}, {-50, -50, 400, 400}, {}).is_cut_off);
    const Thing whole = thing_at(light, depth, scribble, {0, 0}, {0, 0, 300, 240}, {});
    CHECK_FALSE(whole.is_cut_off);
    Stroke taken;
    taken.softness = 0, taken.flow = 1;
    taken.shape = WithinOutline{whole.outlines};
    const cv::Mat1b found = stroke_mask(taken, {0, 0, 300, 240}, {}, {}) > 0.5f;
    CHECK(found(238, 150) == 255);
    CHECK(found(30, 150) == 0);
}

TEST_CASE(
    "a large thing is found small, and its edge still lies on the picture's within 3 px, nearly all within 2",
    "[mend]") {
    const cv::Size size(1500, 1200);
    cv::Mat3f light = grainy(size);
    cv::Mat1f depth(size, 9.0f);
    cv::Mat1b thing(size, uchar(0)), scribble(size, uchar(0));
    cv::ellipse(thing, {750, 600}, {500, 300}, 20, 0, 360, cv::Scalar(255), cv::FILLED);
    light.setTo(cv::Scalar(0.6, 0.4, 0.1), thing);
    depth.setTo(3, thing);
    cv::line(scribble, {500, 500}, {1000, 700}, cv::Scalar(255), 40);
    Stroke taken;
    taken.softness = 0, taken.flow = 1;
    taken.shape = WithinOutline{thing_at(light, depth, scribble, {0, 0}, {-9, -9, 3000, 3000}, {}).outlines};
    const cv::Mat1b found = stroke_mask(taken, {0, 0, 1500, 1200}, {}, {}) > 0.5f;
    cv::Mat1f from_edge, from_edge_outside;
    cv::distanceTransform(thing, from_edge, cv::DIST_L2, 5);
    cv::distanceTransform(~thing, from_edge_outside, cv::DIST_L2, 5);
    for (const auto& [distance, most] : {std::pair{3.0, 0}, {2.0, 10}}) {
        INFO(distance);
        CHECK(cv::countNonZero(~found & (from_edge > distance)) <= most);
        CHECK(cv::countNonZero(found & (from_edge_outside > distance)) <= most);
    }
}
