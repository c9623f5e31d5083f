// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finish/fringes.h"

#include <catch2/catch.hpp>

#include "core/picture/luma.h"
#include "core/work/errors.h"
#include "tests/support/textured.h"

using namespace moorhaze;

namespace {

const cv::Size kSize(640, 480);
const cv::Point2d kMiddle((kSize.width - 1) / 2.0, (kSize.height - 1) / 2.0);
const double kHalfDiagonal = std::hypot(kSize.width, kSize.height) / 2;

/// Grey with detail; red and blue lie outwards of green as told.
cv::Mat3f with_fringes(const LateralFringe& red, const LateralFringe& blue) {
    static const test::Texture texture(41, 90, 5, 80);
    cv::Mat3f light(kSize);
    for (int y = 0; y < kSize.height; ++y)
        for (int x = 0; x < kSize.width; ++x) {
            const double u = x - kMiddle.x, v = y - kMiddle.y;
            const double square = (u * u + v * v) / (kHalfDiagonal * kHalfDiagonal);
            // What lies at p in green lies at p (1 + out) in the other: the other shows p / (1 + out) here.
            const auto at = [&](const LateralFringe& own) {
                const double out = own.linear + own.square * square;
                const double root = texture.at(kMiddle.x + u * (1 - out), kMiddle.y + v * (1 - out));
                return float(root * root);
            };
            light(y, x) = {at(red), at({}), at(blue)};
        }
    return light;
}

double colour_of(const cv::Mat3f& light) {
    double sum = 0;
    for (int y = 12; y < light.rows - 12; ++y)
        for (int x = 12; x < light.cols - 12; ++x)
            for (const int c : {0, 2}) {
                const double off = std::sqrt(double(light(y, x)[c])) - std::sqrt(double(light(y, x)[1]));
                sum += off * off;
            }
    return std::sqrt(sum / (2.0 * (light.rows - 24) * (light.cols - 24)));
}

PartPlace whole() {
    return {{}, kMiddle, kHalfDiagonal, 1};
}

}  // namespace

TEST_CASE("lateral fringes are found and taken out by more than four fifths", "[finish]") {
    const ToneCurve curve{ColourProfile{}};
    struct Planted {
        LateralFringe red, blue;
    };
    for (const auto& [red, blue] :
         {Planted{{0.003, 0}, {-0.002, 0}}, Planted{{0.001, 0.003}, {0.0005, -0.002}},
          Planted{{0.006, -0.002}, {0, 0.004}}}) {
        const cv::Mat3f light = with_fringes(red, blue);
        const Fringes found = with_lateral_found({}, from_linear(light, curve, {}), curve, {});
        // At three quarters of the way to the corners, in px.
        const auto shift = [](const LateralFringe& own) {
            return (own.linear + own.square * 0.75 * 0.75) * 0.75 * kHalfDiagonal;
        };
        CHECK(shift(found.red) == Approx(shift(red)).margin(0.06));
        CHECK(shift(found.blue) == Approx(shift(blue)).margin(0.06));
        cv::Mat3f mended = light.clone();
        take_fringes_out(mended, found, whole(), {});
        CHECK(colour_of(mended) < 0.2 * colour_of(light));
        // Green is where it was.
        for (int y = 0; y < light.rows; y += 7)
            for (int x = 0; x < light.cols; x += 7) REQUIRE(mended(y, x)[1] == light(y, x)[1]);
    }
}

TEST_CASE("a picture without fringes is found to have none, one without detail says so", "[finish]") {
    const ToneCurve curve{ColourProfile{}};
    const Fringes none =
        with_lateral_found({.at_edges = 0.4}, from_linear(with_fringes({}, {}), curve, {}), curve, {});
    CHECK(std::abs(none.red.linear + none.red.square) * kHalfDiagonal < 0.03);
    CHECK(std::abs(none.blue.linear + none.blue.square) * kHalfDiagonal < 0.03);
    CHECK(none.at_edges == 0.4);
    CHECK_THROWS_WITH(
        with_lateral_found({}, test::picture_from({300, 200}, [](int, int) { return 0.5; }), curve, {}),
        Catch::Contains("too little of the picture has detail"));
}

TEST_CASE("a cut of the picture is freed of fringes exactly as the whole is", "[finish]") {
    const Fringes fringes{{0.004, 0.001}, {-0.003, 0}, 0.8};
    const cv::Mat3f light = with_fringes({0.004, 0.001}, {-0.003, 0});
    cv::Mat3f mended = light.clone();
    take_fringes_out(mended, fringes, whole(), {});
    const int border = fringe_border(fringes, kHalfDiagonal, 1);
    for (const cv::Rect wanted :
         {cv::Rect(200, 90, 150, 140), cv::Rect(0, 0, 60, 50), cv::Rect(560, 400, 80, 80)}) {
        const cv::Rect cut = cv::Rect(wanted.x - border, wanted.y - border, wanted.width + 2 * border,
                                      wanted.height + 2 * border) &
                             cv::Rect({}, kSize);
        cv::Mat3f part = light(cut).clone();
        take_fringes_out(part, fringes, {cut.tl(), kMiddle, kHalfDiagonal, 1}, {});
        CHECK(cv::norm(part(wanted - cut.tl()), mended(wanted), cv::NORM_INF) < 1e-6);
    }
}

TEST_CASE("narrow violet and green bands along edges lose their colour, broad areas and flat ones keep it",
          "[finish]") {
    // Dark twig on light ground with a violet rim at its left and a green one at its right; a broad violet
    // flower; a narrow violet line on violet-free even ground far from any edge of light.
    cv::Mat3f light(200, 400, cv::Vec3f(0.5f, 0.5f, 0.5f));
    light.colRange(60, 90).setTo(cv::Vec3f(0.02f, 0.02f, 0.02f));
    light.colRange(56, 60).setTo(cv::Vec3f(0.4f, 0.2f, 0.42f));
    light.colRange(90, 94).setTo(cv::Vec3f(0.2f, 0.4f, 0.21f));
    const cv::Vec3f flower(0.35f, 0.15f, 0.4f);
    light.colRange(150, 220).setTo(flower);
    cv::Mat3f mended = light.clone();
    take_fringes_out(mended, {.at_edges = 1}, {{}, {199.5, 99.5}, 223, 1}, {});
    const auto violet = [](const cv::Vec3f& rgb) {
        return std::min(std::sqrt(rgb[0]), std::sqrt(rgb[2])) - std::sqrt(rgb[1]);
    };
    CHECK(violet(light(100, 58)) > 0.15f);
    CHECK(violet(mended(100, 58)) < 0.03f);
    CHECK(violet(light(100, 92)) < -0.15f);
    CHECK(violet(mended(100, 92)) > -0.03f);
    for (const int x : {152, 160, 185, 217}) CHECK(mended(100, x) == flower);
    CHECK(mended(100, 20) == light(100, 20));
    CHECK(mended(100, 75) == light(100, 75));
    // Half asked for is half of it.
    cv::Mat3f half = light.clone();
    take_fringes_out(half, {.at_edges = 0.5}, {{}, {199.5, 99.5}, 223, 1}, {});
    CHECK(violet(half(100, 58)) == Approx(violet(light(100, 58)) / 2).margin(0.02));
}
