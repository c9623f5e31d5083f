// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/picture/tone_curve.h"

#include <catch2/catch.hpp>
#include <cmath>

using namespace moorhaze;

TEST_CASE("the curve of sRGB is the published one", "[picture]") {
    // IEC 61966-2-1: linear below 0.04045, then ((v + 0.055) / 1.055)^2.4.
    const ToneCurve curve{ColourProfile{}};
    for (const int code : {0, 5, 10, 11, 60, 128, 200, 255}) {
        const double v = code / 255.0;
        const double linear = v <= 0.04045 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4);
        CHECK(curve.linear_of_8(1)[code] == Approx(linear).margin(2e-6));
    }
}

TEST_CASE("8-bit values survive linear light and back", "[picture]") {
    const ToneCurve curve{ColourProfile{}};
    for (int code = 0; code < 256; ++code)
        CHECK(std::lround(curve.encode(curve.linear_of_8(0)[code], 0) * 255) == code);
}

TEST_CASE("16-bit values come back within one step", "[picture]") {
    const ToneCurve curve{ColourProfile{}};
    for (int code = 0; code < 65536; code += 97) {
        const float linear[3] = {curve.linear_of_16(0)[code], curve.linear_of_16(1)[code],
                                 curve.linear_of_16(2)[code]};
        std::uint16_t encoded[3];
        curve.encode_row_16(linear, encoded, 1);
        CHECK(std::abs(int(encoded[1]) - code) <= 1);
    }
}

TEST_CASE("light outside 0 to 1 is held at the ends", "[picture]") {
    const ToneCurve curve{ColourProfile{}};
    CHECK(curve.encode(-0.5f, 0) == 0.0f);
    CHECK(curve.encode(7.0f, 2) == Approx(1.0));
}

TEST_CASE("a picture survives linear light and back", "[picture]") {
    Picture picture{cv::Mat(5, 7, CV_16UC3), {}, {}};
    for (int i = 0; i < 5 * 7 * 3; ++i) picture.pixels.ptr<std::uint16_t>()[i] = std::uint16_t(i * 613);
    const ToneCurve curve{picture.profile};
    const Picture back = from_linear(to_linear(picture, curve), curve, picture.profile);
    for (int i = 0; i < 5 * 7 * 3; ++i)
        CHECK(std::abs(int(back.pixels.ptr<std::uint16_t>()[i]) -
                       int(picture.pixels.ptr<std::uint16_t>()[i])) <= 1);
}

TEST_CASE("damaged profile bytes are treated as sRGB, not as a crash", "[picture]") {
    ColourProfile profile;
    profile.icc.assign(200, 0x5a);
    const ToneCurve curve{profile};
    CHECK(curve.linear_of_8(0)[255] == Approx(1.0));
    CHECK(curve.linear_of_8(0)[128] == Approx(0.2158605).margin(1e-5));
}
