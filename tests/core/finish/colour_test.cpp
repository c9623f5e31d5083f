// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>
#include <cmath>

#include "core/files/raw.h"
#include "core/finish/colour_shift.h"
#include "core/work/errors.h"

using namespace moorhaze;

namespace {

const ColourSpace kSpace = colour_space_of({});

cv::Vec3d shifted(const Colour& colour, const cv::Vec3d& linear, const ColourSpace& space = kSpace) {
    float light[3] = {float(linear[0]), float(linear[1]), float(linear[2])};
    ColourShift(colour, space).apply(light, 1);
    return {light[0], light[1], light[2]};
}

const cv::Vec3d kRed{0.5, 0.1, 0.08}, kMoss{0.12, 0.25, 0.06}, kHeather{0.3, 0.15, 0.4};

}  // namespace

TEST_CASE("white of a profile is the D50 of ICC.1, Lab 100, 0, 0", "[finish]") {
    for (const ColourSpace& space : {kSpace, colour_space_of(working_profile())}) {
        const cv::Vec3d lab = lab_of(space.to_xyz * cv::Vec3d(1, 1, 1));
        CHECK(lab[0] == Approx(100).margin(0.02));
        CHECK(std::abs(lab[1]) < 0.05);
        CHECK(std::abs(lab[2]) < 0.05);
    }
}

TEST_CASE("Oklab gives the published value of XYZ", "[finish]") {
    // Ottosson 2020, table of pairs: XYZ (D65) 0.950, 1.000, 1.089 is lightness 1, and 1, 0, 0 is
    // 0.450, 1.236, -0.019. Ours begins with D50: white is compared, and the chroma of grey.
    const HueAndChroma white = hue_of({1, 1, 1}, kSpace), grey = hue_of({0.2, 0.2, 0.2}, kSpace);
    CHECK(white.lightness == Approx(1).margin(2e-3));
    CHECK(white.chroma < 2e-3);
    CHECK(grey.lightness == Approx(std::cbrt(0.2)).margin(2e-3));
    const cv::Vec3d cones = oklab_cones_of_xyz() * (bradford_cones().inv() * cv::Vec3d(0, 0, 0));
    CHECK(cv::norm(cones) == 0);
    // sRGB's red, green and blue, from the same source's reference implementation.
    CHECK(hue_of({1, 0, 0}, kSpace).hue_deg == Approx(29.2).margin(0.3));
    CHECK(hue_of({0, 1, 0}, kSpace).hue_deg == Approx(142.5).margin(0.3));
    CHECK(hue_of({0, 0, 1}, kSpace).hue_deg == Approx(264.1).margin(0.3));
}

TEST_CASE("saturation scales chroma and keeps lightness and hue", "[finish]") {
    for (const cv::Vec3d& colour : {kRed, kMoss, kHeather}) {
        const HueAndChroma before = hue_of(colour, kSpace);
        const HueAndChroma after = hue_of(shifted({.saturation = 0.2}, colour), kSpace);
        CHECK(after.chroma == Approx(1.2 * before.chroma).epsilon(1e-3));
        CHECK(after.lightness == Approx(before.lightness).epsilon(1e-4));
        CHECK(after.hue_deg == Approx(before.hue_deg).margin(0.05));
    }
}

TEST_CASE("without saturation all is grey of the same lightness", "[finish]") {
    const cv::Vec3d grey = shifted({.saturation = -1}, kHeather);
    CHECK(grey[0] == Approx(grey[1]).epsilon(2e-3));
    CHECK(grey[2] == Approx(grey[1]).epsilon(2e-3));
    CHECK(hue_of(grey, kSpace).lightness == Approx(hue_of(kHeather, kSpace).lightness).epsilon(1e-3));
}

TEST_CASE("grey stays grey whatever is done to colour", "[finish]") {
    const Colour all{.saturation = 0.8, .vibrance = 0.9, .ones = {{30, 20, 0.7, -0.5}, {200, -30, 0.5, 0.5}}};
    for (const double light : {0.0, 0.01, 0.2, 0.9}) {
        const cv::Vec3d made = shifted(all, {light, light, light});
        for (int c = 0; c < 3; ++c) CHECK(made[c] == Approx(light).margin(1e-4));
    }
}

TEST_CASE("vibrance raises pale colours more than strong ones", "[finish]") {
    const cv::Vec3d pale{0.3, 0.27, 0.25}, strong{0.6, 0.05, 0.03};
    auto gain = [](const cv::Vec3d& colour) {
        return hue_of(shifted({.vibrance = 0.5}, colour), kSpace).chroma / hue_of(colour, kSpace).chroma;
    };
    CHECK(gain(pale) > 1.4);
    CHECK(gain(strong) < 1.1);
}

TEST_CASE("one colour is changed and those beyond its reach are not", "[finish]") {
    const double red = hue_of(kRed, kSpace).hue_deg;
    const Colour colour{.ones = {{red, 0, 0.4, 0}}};
    CHECK(hue_of(shifted(colour, kRed), kSpace).chroma ==
          Approx(1.4 * hue_of(kRed, kSpace).chroma).epsilon(5e-3));
    const cv::Vec3d moss = shifted(colour, kMoss);
    for (int c = 0; c < 3; ++c) CHECK(moss[c] == Approx(kMoss[c]).epsilon(1e-4));
    CHECK(reach_of_hue(0) == 1);
    CHECK(reach_of_hue(22.5) == Approx(0.5));
    CHECK(reach_of_hue(350 - 30) == reach_of_hue(-40));
    CHECK(reach_of_hue(45) == 0);
}

TEST_CASE("one colour's hue turns by what was asked, its lightness too", "[finish]") {
    const HueAndChroma before = hue_of(kMoss, kSpace);
    const HueAndChroma turned = hue_of(shifted({.ones = {{before.hue_deg, 15, 0, 0}}}, kMoss), kSpace);
    CHECK(turned.hue_deg - before.hue_deg == Approx(15).margin(0.7));  // hues are kept in whole degrees
    const HueAndChroma darker = hue_of(shifted({.ones = {{before.hue_deg, 0, 0, -0.4}}}, kMoss), kSpace);
    CHECK(darker.lightness == Approx(0.8 * before.lightness).epsilon(2e-3));
}

TEST_CASE("what would leave the gamut keeps its luminance and no channel below 0", "[finish]") {
    const cv::Vec3d made = shifted({.saturation = 1}, {0.7, 0.02, 0.01});
    for (int c = 0; c < 3; ++c) CHECK(made[c] >= 0);
    CHECK(made[0] > made[1]);
}

TEST_CASE("colour does the same in a wide profile as in sRGB", "[finish]") {
    const ColourSpace wide = colour_space_of(working_profile());
    const Colour colour{.saturation = 0.3, .ones = {{120, 10, 0.2, 0.1}}};
    const cv::Vec3d in_wide = wide.from_xyz * (kSpace.to_xyz * kMoss);
    const cv::Vec3d lab = lab_of(kSpace.to_xyz * shifted(colour, kMoss)),
                    lab_wide = lab_of(wide.to_xyz * shifted(colour, in_wide, wide));
    CHECK(cv::norm(lab - lab_wide) < 0.5);
}
