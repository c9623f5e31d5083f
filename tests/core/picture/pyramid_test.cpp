// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/picture/pyramid.h"

#include <catch2/catch.hpp>
#include <cmath>

using namespace moorhaze;

TEST_CASE("halving keeps an even picture even, at odd and tiny sizes", "[picture]") {
    for (const cv::Size size : {cv::Size(1, 1), cv::Size(2, 3), cv::Size(17, 9), cv::Size(64, 33)}) {
        const cv::Mat3f picture(size, cv::Vec3f(0.2f, 0.5f, 0.9f));
        const cv::Mat3f half = pyramid_down(picture, {});
        CHECK(half.size() == cv::Size((size.width + 1) / 2, (size.height + 1) / 2));
        const cv::Mat3f back = pyramid_up(half, size, {});
        REQUIRE(back.size() == size);
        for (const auto& value : back) CHECK(value[1] == Approx(0.5).margin(1e-6));
    }
}

TEST_CASE("a straight slope survives halving and doubling inside the border", "[picture]") {
    cv::Mat1f picture(40, 60);
    for (int y = 0; y < 40; ++y)
        for (int x = 0; x < 60; ++x) picture(y, x) = float(0.01 * x + 0.02 * y);
    const cv::Mat1f half = pyramid_down(picture, {});
    // The filter is symmetric, so the coarse pixel k stands exactly over the fine pixel 2k.
    CHECK(half(10, 12) == Approx(picture(20, 24)).margin(1e-6));
    const cv::Mat1f back = pyramid_up(half, picture.size(), {});
    CHECK(back(21, 31) == Approx(picture(21, 31)).margin(1e-5));
}

TEST_CASE("halving takes out what the coarse grid cannot hold", "[picture]") {
    // The binomial filter is exactly zero at the highest frequency of the fine grid.
    cv::Mat1f picture(32, 32);
    for (int y = 0; y < 32; ++y)
        for (int x = 0; x < 32; ++x) picture(y, x) = (x % 2) ? 1.0f : -1.0f;
    const cv::Mat1f half = pyramid_down(picture, {});
    for (int x = 2; x < 14; ++x) CHECK(half(8, x) == Approx(0).margin(1e-6));
}
