// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/picture/block_means.h"

#include <catch2/catch.hpp>

#include "tests/support/textured.h"

using namespace moorhaze;

TEST_CASE("means of squares are means of light, and those at the border of what they hold", "[picture]") {
    const Picture picture = test::colourful({37, 23}, 16, false);
    const ToneCurve curve(picture.profile);
    const cv::Mat3f light = to_linear(picture, curve), means = block_means(picture, curve, 5, {});
    REQUIRE(means.size() == cv::Size(8, 5));
    for (int v = 0; v < means.rows; ++v)
        for (int u = 0; u < means.cols; ++u) {
            const cv::Rect square = cv::Rect(5 * u, 5 * v, 5, 5) & cv::Rect(0, 0, 37, 23);
            const cv::Scalar mean = cv::mean(light(square));
            for (int c = 0; c < 3; ++c) CHECK(means(v, u)[c] == Approx(mean[c]).epsilon(1e-4));
        }
    CHECK(cv::norm(block_means(picture, curve, 1, {}), light, cv::NORM_INF) < 1e-6);
}
