// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/picture/warp.h"

#include <catch2/catch.hpp>
#include <cmath>
#include <numbers>

#include "core/files/picture_file.h"
#include "core/work/for_rows.h"
#include "tests/support/textured.h"

using namespace moorhaze;
using moorhaze::test::picture_from;

namespace {

const ToneCurve& srgb() {
    static const ToneCurve curve{ColourProfile{}};
    return curve;
}

cv::Matx33d shift(double x, double y) {
    return {1, 0, x, 0, 1, y, 0, 0, 1};
}

/// How strong a wave of `frequency` (cycles per pixel) is after a shift by half a pixel, against before.
double strength_after_half_pixel(double frequency) {
    const double pi = std::numbers::pi;
    const Picture wave =
        picture_from({400, 9}, [&](int x, int) { return 0.5 + 0.05 * std::sin(2 * pi * frequency * x); });
    const LinearFrame moved = warp_to_linear(wave, srgb(), {shift(0.5, 0), {0, 0, 400, 9}}, {});
    double in_phase = 0, across = 0;
    for (int x = 50; x < 350; ++x) {
        const double value = srgb().encode(moved.pixels(4, x)[1], 1) - 0.5;
        in_phase += value * std::sin(2 * pi * frequency * (x - 0.5));
        across += value * std::cos(2 * pi * frequency * (x - 0.5));
    }
    return std::hypot(in_phase, across) / 150 / 0.05;
}

}  // namespace

TEST_CASE("a frame that lies as the reference comes through unchanged", "[picture]") {
    const test::Texture texture(3);
    const Picture frame = picture_from({63, 41}, [&](int x, int y) { return texture.at(x, y); });
    const LinearFrame laid = warp_to_linear(frame, srgb(), {cv::Matx33d::eye(), {0, 0, 63, 41}}, {});
    const cv::Mat3f plain = to_linear(frame, srgb());
    for (int y = 0; y < 41; ++y)
        for (int x = 0; x < 63; ++x) CHECK(laid.pixels(y, x)[0] == Approx(plain(y, x)[0]).margin(1e-5));
}

TEST_CASE("a frame shifted by 3.25, -1.5 px lands where it should", "[picture]") {
    const test::Texture texture(4, 60, 8, 90);
    const Picture frame =
        picture_from({120, 90}, [&](int x, int y) { return texture.at(x + 3.25, y - 1.5); });
    const LinearFrame laid = warp_to_linear(frame, srgb(), {shift(3.25, -1.5), {0, 0, 120, 90}}, {});
    // The finest wave is 8 px long: the kernel's error there is below a percent of its strength.
    for (int y = 6; y < 84; ++y)
        for (int x = 10; x < 110; ++x)
            CHECK(srgb().encode(laid.pixels(y, x)[2], 2) == Approx(texture.at(x, y)).margin(0.004));
}

TEST_CASE("the kernel keeps more detail than bilinear and cubic interpolation", "[picture]") {
    // Halfway between pixels bilinear keeps cos(pi f); Keys' cubic keeps (9 cos(pi f) - cos(3 pi f)) / 8.
    for (const double frequency : {0.125, 0.25, 0.33}) {
        const double kept = strength_after_half_pixel(frequency);
        const double c1 = std::cos(std::numbers::pi * frequency),
                     c3 = std::cos(3 * std::numbers::pi * frequency);
        CHECK(kept > (9 * c1 - c3) / 8 - 0.002);
        CHECK(kept > c1);
        CHECK(kept < 1.03);  // three lobes overshoot by two percent near a third of a cycle
    }
    CHECK(strength_after_half_pixel(0.25) > 0.95);
}

TEST_CASE("gains multiply linear light, colour by colour", "[picture]") {
    const Picture frame = picture_from({20, 20}, [](int, int) { return 0.5; });
    const LinearFrame laid =
        warp_to_linear(frame, srgb(), {shift(0.3, 0.4), {0, 0, 20, 20}, {1.25, 1, 0.8}}, {});
    CHECK(laid.pixels(10, 10)[0] == Approx(1.25 * 0.2140411).epsilon(1e-4));
    CHECK(laid.pixels(10, 10)[1] == Approx(0.2140411).epsilon(1e-4));
    CHECK(laid.pixels(10, 10)[2] == Approx(0.8 * 0.2140411).epsilon(1e-4));
}

TEST_CASE("light fall-off moves with the frame's scale and is brought to the reference's", "[picture]") {
    const cv::Size size(161, 121);
    const Vignetting fall{0.4, 0.15};
    auto fallen = [&](double x, double y) {
        const double r2 = ((x - 80) * (x - 80) + (y - 60) * (y - 60)) / (80.0 * 80 + 60 * 60);
        return 0.5 * std::exp(-(fall.square * r2 + fall.fourth * r2 * r2));
    };
    const Picture frame =
        picture_from(size, [&](int x, int y) { return double(srgb().encode(float(fallen(x, y)), 0)); });
    // Smaller by a fifth about the centre.
    const cv::Matx33d smaller(0.8, 0, 16, 0, 0.8, 12, 0, 0, 1);
    const PixelRect target(30, 25, 101, 71);
    const LinearFrame laid = warp_to_linear(frame, srgb(), {smaller, target, {1, 1, 1}, fall}, {});
    for (int y = 0; y < target.height; y += 7)
        for (int x = 0; x < target.width; x += 7)
            CHECK(laid.pixels(y, x)[1] == Approx(fallen(target.x + x, target.y + y)).epsilon(0.002));
    const LinearFrame plain = warp_to_linear(frame, srgb(), {smaller, target}, {});
    CHECK(plain.pixels(0, 0)[1] < 0.95 * fallen(target.x, target.y));
}

TEST_CASE("covered spans say exactly which pixels a frame reaches", "[picture]") {
    const cv::Size frame(50, 30);
    const cv::Matx33d turned(0.94, -0.21, 9, 0.2, 0.97, -4, 1e-4, -2e-4, 1);
    const WarpPlan plan{turned, {-5, -8, 80, 60}};
    const auto spans = covered_spans(frame, plan);
    const cv::Matx33d back = turned.inv();
    REQUIRE(spans.size() == 60);
    for (int y = 0; y < 60; ++y)
        for (int x = 0; x < 80; ++x) {
            const cv::Vec3d place = back * cv::Vec3d(x - 5, y - 8, 1);
            const double u = place[0] / place[2], v = place[1] / place[2];
            const bool inside = u >= -0.5 && v >= -0.5 && u <= frame.width - 0.5 && v <= frame.height - 0.5;
            CHECK((x >= spans[std::size_t(y)].begin && x < spans[std::size_t(y)].end) == inside);
        }
}

TEST_CASE("any number of threads gives the same pixels", "[picture]") {
    const test::Texture texture(5);
    const Picture frame = picture_from({301, 203}, [&](int x, int y) { return texture.at(x, y); });
    const WarpPlan plan{{1.02, -0.01, 2.3, 0.01, 1.02, -3.1, 0, 0, 1}, {0, 0, 301, 203}, {1.03, 1, 0.9}};
    const LinearFrame many = warp_to_linear(frame, srgb(), plan, {});
    const ThreadLimit one(1);
    const LinearFrame single = warp_to_linear(frame, srgb(), plan, {});
    CHECK(cv::norm(many.pixels, single.pixels, cv::NORM_INF) == 0);
}

TEST_CASE("a matrix that cannot be turned round is refused", "[picture]") {
    const Picture frame = picture_from({10, 10}, [](int, int) { return 0.5; });
    CHECK_THROWS_AS(warp_to_linear(frame, srgb(), {cv::Matx33d::zeros(), {0, 0, 10, 10}}, {}), BadParameter);
    CHECK_THROWS_AS(warp_to_linear(frame, srgb(), {cv::Matx33d::eye(), {0, 0, 0, 0}}, {}), BadParameter);
    CHECK_THROWS_AS(warp_to_linear(frame, srgb(), {cv::Matx33d::eye(), {0, 0, 10, 10}, {1, 0, 1}}, {}),
                    BadParameter);
}

TEST_CASE("a part of a frame gives the pixels that the whole frame gives", "[picture]") {
    const test::Texture texture(9, 60, 6, 90);
    const Picture frame = picture_from({300, 200}, [&](int x, int y) { return texture.at(x, y); });
    WarpPlan plan{cv::Matx33d(1.01, 0.02, -3.3, -0.02, 1.01, 4.7, 2e-5, -1e-5, 1), {90, 60, 80, 50}};
    plan.vignetting = {0.2, 0.05};
    plan.gains = {1.1, 0.95, 1};
    const LinearFrame whole = warp_to_linear(frame, srgb(), plan, {});
    const cv::Rect needed = needed_of({300, 200}, plan);
    CHECK(needed.area() < 130 * 100);
    const Picture part{frame.pixels(needed).clone(), {}, frame.profile};
    plan.part = {needed.tl(), {300, 200}};
    const LinearFrame laid = warp_to_linear(part, srgb(), plan, {});
    CHECK(laid.covered == whole.covered);
    // Positions are worked out from another corner: the last bit of a float may differ.
    CHECK(cv::norm(laid.pixels, whole.pixels, cv::NORM_INF) < 1e-3);
    CHECK(cv::norm(laid.pixels, whole.pixels, cv::NORM_L1) / double(3 * 80 * 50) < 1e-5);
    // Beyond the frame nothing is needed.
    CHECK(needed_of({300, 200}, {shift(5000, 0), {0, 0, 50, 50}}).area() == 0);
}
