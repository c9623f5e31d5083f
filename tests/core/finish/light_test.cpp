// SPDX-License-Identifier: GPL-3.0-or-later
// White balance, exposure and tones against closed forms.
#include <catch2/catch.hpp>
#include <cmath>

#include "core/finish/finished.h"
#include "core/finish/tone_mapping.h"
#include "core/finish/white_balance.h"
#include "core/work/errors.h"
#include "tests/support/textured.h"

using namespace moorhaze;

namespace {

const ColourSpace kLightSpace = colour_space_of({});

/// A picture of one light in all of it.
Picture even(const cv::Vec3d& linear, cv::Size size = {24, 16}) {
    return from_linear(cv::Mat3f(size, cv::Vec3f(linear)), ToneCurve(ColourProfile{}), {});
}

cv::Vec3d light_of(const Picture& picture) {
    const cv::Scalar mean = cv::mean(to_linear(picture, ToneCurve(picture.profile)));
    return {mean[0], mean[1], mean[2]};
}

Picture finished_even(const cv::Vec3d& linear, const Finish& finish) {
    return finished(*finish_subject(even(linear), {}, 1, {}), finish, {});
}

}  // namespace

TEST_CASE("the Planckian locus meets the published white of illuminant A", "[finish]") {
    // CIE 15:2004, table T.3: x 0.44757, y 0.40745 at 2856 K. Krystek's approximation is good to 0.0005.
    const cv::Vec2d white = planckian_xy(2856);
    CHECK(white[0] == Approx(0.44757).margin(5e-4));
    CHECK(white[1] == Approx(0.40745).margin(5e-4));
}

TEST_CASE("neutral warmth leaves every colour as it is", "[finish]") {
    CHECK(white_balance({}, kLightSpace) == cv::Matx33d::eye());
}

TEST_CASE("light said to be bluer makes a warmer picture, and grey keeps its luminance", "[finish]") {
    const cv::Vec3d warm = white_balance({.warmth_k = 7000}, kLightSpace) * cv::Vec3d(0.2, 0.2, 0.2);
    CHECK(warm[0] > 0.21);
    CHECK(warm[2] < 0.19);
    CHECK((kLightSpace.to_xyz * warm)[1] == Approx(0.2).margin(1e-9));
    const cv::Vec3d violet = white_balance({.violet = 10}, kLightSpace) * cv::Vec3d(0.2, 0.2, 0.2);
    CHECK(violet[1] < violet[0]);
    CHECK(violet[1] < violet[2]);
}

TEST_CASE("a picked place becomes grey under its own warmth and tint", "[finish]") {
    // Casts of common light: a lamp, shade, a green tube.
    for (const cv::Vec3d& cast : {cv::Vec3d(0.4, 0.3, 0.16), {0.24, 0.3, 0.41}, {0.25, 0.33, 0.24}}) {
        const Light light = with_grey_at({}, cast, kLightSpace);
        const cv::Vec3d balanced = white_balance(light, kLightSpace) * cast;
        INFO(light.warmth_k << " K, " << light.violet);
        CHECK(balanced[0] == Approx(balanced[1]).epsilon(0.002));
        CHECK(balanced[2] == Approx(balanced[1]).epsilon(0.002));
    }
    CHECK_THROWS_AS(with_grey_at({}, {0, 0, 0}, kLightSpace), BadParameter);
}

TEST_CASE("a picked warmth is found again from a grey that was seen under it", "[finish]") {
    const Light light{.warmth_k = 3800, .violet = 6};
    const cv::Vec3d seen = white_balance(light, kLightSpace).inv() * cv::Vec3d(0.3, 0.3, 0.3);
    const Light found = with_grey_at({}, seen, kLightSpace);
    CHECK(found.warmth_k == Approx(3800).epsilon(1e-3));
    CHECK(found.violet == Approx(6).margin(0.02));
}

TEST_CASE("a step of exposure doubles light", "[finish]") {
    Finish finish;
    finish.light.exposure_ev = 1;
    const cv::Vec3d made = light_of(finished_even({0.1, 0.2, 0.3}, finish));
    for (int c = 0; c < 3; ++c) CHECK(made[c] == Approx(0.2 * (c + 1)).epsilon(3e-4));
}

TEST_CASE("black, white and middle go where they were put", "[finish]") {
    const ToneMapping mapping({.black = 0.1, .white = 0.9, .middle = 0.25});
    CHECK(mapping(0.05) == 0);
    CHECK(mapping(0.1) == 0);
    CHECK(mapping(0.9) == 1);
    CHECK(mapping(1) == 1);
    CHECK(mapping(0.3) == Approx(0.5));  // a quarter of the way from 0.1 to 0.9
    CHECK(mapping.tone_at(0.5) == Approx(0.3));
}

TEST_CASE("a curve meets its points, never falls and never leaves 0 to 1", "[finish]") {
    const Tones tones{.curve = {{0.2, 0.05}, {0.5, 0.7}, {0.6, 0.7}, {0.8, 0.95}}};
    const ToneMapping mapping(tones);
    for (const TonePoint& point : tones.curve)
        CHECK(mapping(point.tone) == Approx(point.becomes).margin(1e-9));
    CHECK(mapping(0) == 0);
    CHECK(mapping(1) == 1);
    CHECK(mapping(0.55) == Approx(0.7));  // flat between equal points: no overshoot
    double before = -1;
    for (int i = 0; i <= 1000; ++i) {
        const double now = mapping(i / 1000.0);
        REQUIRE(now >= before - 1e-12);
        REQUIRE(now <= 1 + 1e-12);
        before = now;
    }
}

TEST_CASE("the table of tones is the mapping, to less than a step of 12 bits", "[finish]") {
    const ToneMapping mapping(
        {.black = 0.03, .white = 0.95, .middle = 0.4, .curve = {{0.3, 0.2}, {0.7, 0.85}}});
    const auto table = tone_table(mapping);
    for (int i = 1; i < 500; ++i) {
        const double tone = i / 500.0;
        float light = float(light_of_tone(tone));
        map_tones(table, &light, 1);
        CHECK(tone_of_light(light) == Approx(mapping(tone)).margin(1.0 / 4096));
    }
}

TEST_CASE("a tone is mapped in the picture as the mapping says", "[finish]") {
    Finish finish;
    finish.tones = {.black = 0.1, .white = 0.8, .middle = 0.4, .curve = {{0.5, 0.6}}};
    const double light = light_of_tone(0.45);
    const cv::Vec3d made = light_of(finished_even({light, light, light}, finish));
    CHECK(tone_of_light(made[1]) == Approx(ToneMapping(finish.tones)(0.45)).margin(1e-4));
}

TEST_CASE("shadows lift large dark areas and leave large light ones", "[finish]") {
    const Picture picture = test::picture_from({400, 200}, [](int x, int) { return x < 200 ? 0.15 : 0.9; });
    Finish finish;
    finish.light.shadows = 0.5;
    const auto subject = finish_subject(picture, {}, 1, {});
    const Picture made = finished(*subject, finish, {});
    auto tone = [](const Picture& own, int x) { return own.pixels.at<cv::Vec3w>(100, x)[1] / 65535.0; };
    CHECK(tone(made, 60) > 0.19);
    CHECK(tone(made, 340) == Approx(0.9).margin(0.01));
    finish.light.shadows = 0;
    finish.light.lights = -0.5;
    const Picture held = finished(*subject, finish, {});
    CHECK(tone(held, 340) < 0.8);
    CHECK(tone(held, 60) == Approx(0.15).margin(0.01));
    // The border between stays where it was, and no rim rises beside it.
    for (int x = 150; x < 200; ++x) CHECK(tone(held, x) == Approx(0.15).margin(0.02));
}

TEST_CASE("clarity strengthens middle sizes and keeps even areas", "[finish]") {
    const test::Texture texture(7, 40, 12, 40);
    const Picture picture =
        test::picture_from({500, 300}, [&](int x, int y) { return x < 250 ? 0.4 : texture.at(x, y); });
    Finish finish;
    finish.detail.clarity = 0.6;
    const Picture made = finished(*finish_subject(picture, {}, 1, {}), finish, {});
    auto spread = [](const Picture& own, cv::Rect area) {
        cv::Scalar mean, deviation;
        cv::meanStdDev(own.pixels(area), mean, deviation);
        return deviation[1];
    };
    const cv::Rect textured(300, 40, 180, 220), plain(20, 40, 150, 220);
    CHECK(spread(made, textured) > 1.15 * spread(picture, textured));
    CHECK(spread(made, plain) < 65535 * 0.002);
    CHECK(cv::mean(made.pixels(plain))[1] == Approx(cv::mean(picture.pixels(plain))[1]).epsilon(0.01));
}

TEST_CASE("automatic tones begin and end where the picture does", "[finish]") {
    const Picture picture = test::picture_from({300, 200}, [](int x, int) { return 0.2 + 0.5 * x / 299.0; });
    const auto subject = finish_subject(picture, {}, 3, {});
    Finish finish;
    finish.tones = auto_tones_of(*subject, finish);
    CHECK(finish.tones.black == Approx(0.2).margin(0.02));
    CHECK(finish.tones.white == Approx(0.7).margin(0.02));
    const ToneHistogram after =
        tone_histogram(finished(*subject, finish, {}), subject->curve, subject->space, 1);
    CHECK(after.tone_below(0.02) < 0.06);
    CHECK(after.tone_below(0.98) > 0.94);
    CHECK(after.white_clipped < 0.03);
}

TEST_CASE("the histogram counts what is there, and what is clipped", "[finish]") {
    const Picture picture = test::picture_from({100, 100}, [](int x, int) {
        return x < 25 ? 0.0 : x < 75 ? 0.5 : 1.0;
    });
    const ToneHistogram histogram = tone_histogram(picture, ToneCurve(ColourProfile{}), kLightSpace, 1);
    CHECK(histogram.black_clipped == Approx(0.25));
    CHECK(histogram.white_clipped == Approx(0.25));
    CHECK(histogram.share[ToneHistogram::kBins / 2] + histogram.share[ToneHistogram::kBins / 2 - 1] ==
          Approx(0.5));
    CHECK(histogram.tone_below(0.5) == Approx(0.5).margin(0.02));
}

TEST_CASE("light outside its range is refused with what is allowed", "[finish]") {
    Finish finish;
    finish.light.warmth_k = 900;
    CHECK_THROWS_WITH(check(finish), Catch::Contains("warmth") && Catch::Contains("2000"));
    finish = {};
    finish.tones = {.black = 0.6, .white = 0.4};
    CHECK_THROWS_WITH(check(finish), Catch::Contains("black point lies above"));
    finish.tones = {.curve = {{0.5, 0.6}, {0.4, 0.7}}};
    CHECK_THROWS_WITH(check(finish), Catch::Contains("curve falls"));
    finish = {};
    finish.light.exposure_ev = NAN;
    CHECK_THROWS_AS(check(finish), BadParameter);
}
