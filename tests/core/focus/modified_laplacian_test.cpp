// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/focus/modified_laplacian.h"

#include <catch2/catch.hpp>

using namespace moorhaze;

TEST_CASE("modified Laplacian of x squared is exactly 2 inside the border", "[focus]") {
    cv::Mat1f luma(9, 9);
    for (int y = 0; y < 9; ++y)
        for (int x = 0; x < 9; ++x) luma(y, x) = float(x * x);
    CHECK_THAT(modified_laplacian(luma, 1, {})(4, 4), Catch::Matchers::WithinAbs(2.0, 1e-6));
}

TEST_CASE("modified Laplacian adds both directions without cancelling", "[focus]") {
    // A saddle: the plain Laplacian would be 0.
    cv::Mat1f luma(11, 11);
    for (int y = 0; y < 11; ++y)
        for (int x = 0; x < 11; ++x) luma(y, x) = float(x * x - y * y);
    CHECK_THAT(modified_laplacian(luma, 1, {})(5, 5), Catch::Matchers::WithinAbs(4.0, 1e-5));
    CHECK_THAT(modified_laplacian(luma, 2, {})(5, 5), Catch::Matchers::WithinAbs(16.0, 1e-4));
}

TEST_CASE("a slope has no sharpness", "[focus]") {
    cv::Mat1f luma(8, 12);
    for (int y = 0; y < 8; ++y)
        for (int x = 0; x < 12; ++x) luma(y, x) = float(3 * x + 2 * y);
    CHECK_THAT(modified_laplacian(luma, 1, {})(4, 6), Catch::Matchers::WithinAbs(0.0, 1e-5));
}

TEST_CASE("a step below one pixel is refused", "[focus]") {
    CHECK_THROWS_AS(modified_laplacian(cv::Mat1f(4, 4, 0.0f), 0, {}), BadParameter);
}
