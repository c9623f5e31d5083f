// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finish/noise.h"

#include <catch2/catch.hpp>

#include "core/picture/luma.h"
#include "tests/support/measures.h"
#include "tests/support/textured.h"

using namespace moorhaze;

namespace {

/// Grey light of a given luma, with noise of that standard deviation.
template <class Value>
cv::Mat3f noisy_light(cv::Size size, double noise, const Value& luma) {
    cv::Mat3f light(size);
    cv::RNG random(11);
    for (int y = 0; y < size.height; ++y)
        for (int x = 0; x < size.width; ++x) {
            const double root = std::max(0.0, luma(x, y) + random.gaussian(noise));
            light(y, x) = cv::Vec3f::all(float(root * root));
        }
    return light;
}

double deviation(const cv::Mat1f& luma, cv::Rect area) {
    cv::Scalar mean, spread;
    cv::meanStdDev(luma(area), mean, spread);
    return spread[0];
}

}  // namespace

TEST_CASE("noise of an even area goes, a hard edge beside it stays where and as steep as it was",
          "[finish]") {
    const cv::Mat3f noisy = noisy_light({240, 160}, 0.03, [](int x, int) { return x < 120 ? 0.3 : 0.7; });
    cv::Mat3f light = noisy.clone();
    reduce_noise(light, {.noise = 0.03}, {}, 1, {});
    const cv::Mat1f before = perceptual_luma(noisy, Job{}), after = perceptual_luma(light, Job{});
    for (const cv::Rect area : {cv::Rect(12, 12, 90, 130), cv::Rect(138, 12, 90, 130)}) {
        CHECK(deviation(before, area) == Approx(0.03).epsilon(0.05));
        CHECK(deviation(after, area) < 0.006);
        CHECK(cv::mean(after(area))[0] == Approx(cv::mean(before(area))[0]).margin(0.001));
    }
    double left = 0, right = 0;
    for (int y = 10; y < 150; ++y) left += double(after(y, 119)) / 140, right += double(after(y, 120)) / 140;
    CHECK(left == Approx(0.3).margin(0.01));
    CHECK(right == Approx(0.7).margin(0.01));
}

TEST_CASE("the last row and column of a picture lose their noise like all others, at any size", "[finish]") {
    for (const cv::Size size : {cv::Size(121, 83), {120, 83}, {123, 80}, {9, 64}, {7, 5}}) {
        cv::Mat3f light = noisy_light(size, 0.03, [](int, int) { return 0.5; });
        reduce_noise(light, {.noise = 0.03}, {}, 1, {});
        const cv::Mat1f after = perceptual_luma(light, Job{});
        INFO(size);
        if (size.width > 20)
            for (const cv::Rect edge :
                 {cv::Rect(0, 0, 1, size.height), cv::Rect(size.width - 1, 0, 1, size.height),
                  cv::Rect(0, 0, size.width, 1), cv::Rect(0, size.height - 1, size.width, 1)})
                CHECK(deviation(after, edge) < 0.012);
        CHECK(cv::mean(after)[0] == Approx(0.5).margin(0.02));
    }
}

TEST_CASE("a texture under noise comes nearer to what it was, and colours keep their proportions",
          "[finish]") {
    const test::Texture texture(31, 70, 6, 60);
    const auto luma = [&](int x, int y) { return texture.at(x, y); };
    const cv::Mat1f truth = perceptual_luma(noisy_light({200, 160}, 0, luma), Job{});
    cv::Mat3f light = noisy_light({200, 160}, 0.04, luma);
    const double before = test::psnr_db(perceptual_luma(light, Job{}), truth);
    reduce_noise(light, {.noise = 0.04}, {}, 1, {});
    CHECK(test::psnr_db(perceptual_luma(light, Job{}), truth) > before + 4);
    // Grey stays grey.
    for (int y = 0; y < light.rows; ++y)
        for (int x = 0; x < light.cols; ++x) {
            REQUIRE(light(y, x)[0] == Approx(light(y, x)[1]).margin(1e-6));
            REQUIRE(light(y, x)[2] == Approx(light(y, x)[1]).margin(1e-6));
        }
}

TEST_CASE("a cut of the picture is freed of noise exactly as the whole is", "[finish]") {
    const test::Texture texture(32);
    const cv::Mat3f noisy = noisy_light({181, 143}, 0.02, [&](int x, int y) { return texture.at(x, y); });
    const Detail detail{.noise = 0.02};
    cv::Mat3f whole = noisy.clone();
    reduce_noise(whole, detail, {}, 1, {});
    const int border = noise_border(detail, 1);
    for (const cv::Rect wanted :
         {cv::Rect(40, 37, 61, 50), cv::Rect(0, 0, 33, 41), cv::Rect(101, 70, 80, 73)}) {
        const cv::Rect cut = cv::Rect(wanted.x - border, wanted.y - border, wanted.width + 2 * border,
                                      wanted.height + 2 * border) &
                             cv::Rect({}, noisy.size());
        cv::Mat3f part = noisy(cut).clone();
        reduce_noise(part, detail, cut.tl(), 1, {});
        CHECK(cv::norm(part(wanted - cut.tl()), whole(wanted), cv::NORM_INF) == 0);
    }
}

TEST_CASE("the noise that is measured is the noise that was planted, whatever lies beneath", "[finish]") {
    const ToneCurve curve{ColourProfile{}};
    const test::Texture texture(33, 60, 12, 120);
    for (const double noise : {0.01, 0.03, 0.06}) {
        const cv::Mat3f light =
            noisy_light({420, 320}, noise, [&](int x, int y) { return 0.2 + 0.6 * texture.at(x, y); });
        CHECK(noise_of(from_linear(light, curve, {}), curve, {}) == Approx(noise).epsilon(0.2));
    }
    const auto even = [&](double value) {
        return noise_of(test::picture_from({200, 160}, [value](int, int) { return value; }), curve, {});
    };
    CHECK(even(0) == 0);
    CHECK(even(1) == 0);
    CHECK(even(0.5) == 0);
    CHECK(noise_of(test::picture_from({20, 20}, [](int x, int y) { return 0.4 + 0.01 * ((x + y) % 3); }),
                   curve, {}) == 0);
}

TEST_CASE("nothing is done where noise is off, not asked for, or too small to be seen at a size",
          "[finish]") {
    const cv::Mat3f noisy = noisy_light({64, 64}, 0.02, [](int, int) { return 0.5; });
    for (const Detail& detail : {Detail{}, Detail{.noise = 0.02, .colour_noise = 1, .is_off = true}}) {
        cv::Mat3f light = noisy.clone();
        reduce_noise(light, detail, {}, 1, {});
        CHECK(cv::norm(light, noisy, cv::NORM_INF) == 0);
        CHECK(noise_border(detail, 1) == 0);
    }
    CHECK(noise_border({.noise = 0.002}, 8) == 0);
}
