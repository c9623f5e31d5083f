// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/picture/display.h"

#include <catch2/catch.hpp>

#include "core/picture/profile_handle.h"
#include "tests/support/textured.h"

using namespace moorhaze;

TEST_CASE("sRGB pixels reach the screen as they are", "[picture]") {
    const Picture picture = test::colourful({13, 7}, 8, false);
    const cv::Mat4b screen = to_display(picture, {});
    for (int y = 0; y < 7; ++y)
        for (int x = 0; x < 13; ++x) {
            const auto rgb = picture.pixels.at<cv::Vec3b>(y, x);
            CHECK(screen(y, x) == cv::Vec4b(rgb[2], rgb[1], rgb[0], 255));
        }
}

TEST_CASE("on a wide screen sRGB is as saturated as it was, and the screen's own colours stay", "[picture]") {
    const ColourProfile p3 =
        profile_of("P3", {{.680, .320, 1}, {.265, .690, 1}, {.150, .060, 1}}, srgb_curve());
    const Picture red{cv::Mat(1, 1, CV_8UC3, cv::Scalar(255, 0, 0)), {}, {}};
    // CSS Color Module Level 4: sRGB's red is color(display-p3 0.9175 0.2003 0.1386) (from memory).
    const cv::Vec4b shown = to_display(red, {}, p3)(0, 0);
    CHECK(std::abs(shown[2] - 234) <= 1);
    CHECK(std::abs(shown[1] - 51) <= 1);
    CHECK(std::abs(shown[0] - 35) <= 1);
    Picture own = test::colourful({9, 5}, 8, false);
    own.profile = p3;
    CHECK(to_display(own, {}, p3)(3, 4) != to_display(own, {})(3, 4));
    own.profile = {};
    const cv::Mat4b as_it_is = to_display(own, {});
    own.profile = p3;
    CHECK(cv::norm(to_display(own, {}, p3), as_it_is, cv::NORM_INF) == 0);
    // What is no profile of RGB counts as sRGB.
    CHECK(to_display(red, {}, {{1, 2, 3}})(0, 0) == cv::Vec4b(0, 0, 255, 255));
}

TEST_CASE("16-bit pixels are rounded, not cut", "[picture]") {
    Picture picture{cv::Mat(1, 2, CV_16UC3, cv::Scalar(257 * 100 + 200, 257 * 100 + 100, 65535)), {}, {}};
    CHECK(to_display(picture, {})(0, 0) == cv::Vec4b(255, 100, 101, 255));
}

TEST_CASE("transparent places become the surround's grey", "[picture]") {
    Picture picture = test::colourful({4, 4}, 16, true);
    picture.alpha.setTo(0);
    CHECK(to_display(picture, {})(2, 2) == cv::Vec4b(kSurroundGrey, kSurroundGrey, kSurroundGrey, 255));
}

TEST_CASE("each level is half the one before, down to a stamp", "[picture]") {
    const auto levels = display_levels(test::colourful({501, 333}, 8, false), {});
    REQUIRE(levels.size() == 4);
    CHECK(levels[1].size() == cv::Size(251, 167));
    CHECK(levels[2].size() == cv::Size(126, 84));
    CHECK(levels[3].size() == cv::Size(63, 42));
}

TEST_CASE("replacing a patch gives the levels that the changed picture would have had", "[picture]") {
    for (const cv::Rect patch :
         {cv::Rect(0, 0, 1, 1), cv::Rect(133, 57, 40, 21), cv::Rect(190, 130, 11, 3)}) {
        Picture picture = test::colourful({201, 133}, 8, false);
        auto levels = display_levels(picture, {});
        cv::Mat(picture.pixels(patch)).setTo(cv::Scalar(9, 200, 77));
        const auto fresh = display_levels(picture, {});
        replace_in_levels(levels, fresh[0](patch).clone(), patch.tl());
        for (std::size_t k = 0; k < levels.size(); ++k)
            CHECK(cv::norm(levels[k], fresh[k], cv::NORM_INF) == 0);
    }
}
