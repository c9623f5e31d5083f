// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/align/matching_points.h"

#include <catch2/catch.hpp>
#include <cmath>
#include <functional>

#include "tests/support/textured.h"

using namespace moorhaze;

namespace {

cv::Mat1f luma_of(cv::Size size, const std::function<double(double, double)>& value) {
    cv::Mat1f luma(size);
    for (int y = 0; y < size.height; ++y)
        for (int x = 0; x < size.width; ++x) luma(y, x) = float(value(x, y));
    return luma;
}

}  // namespace

TEST_CASE("a point set by hand goes to the detail of its partner, to a twentieth of a pixel", "[align]") {
    const test::Texture texture(21, 90, 7, 120);
    const cv::Size size(300, 200);
    const cv::Mat1f one = luma_of(size, [&](double x, double y) { return texture.at(x, y); });
    // The other frame lies 12.3 px to the right and 7.6 px up, and is a third darker.
    const cv::Mat1f other =
        luma_of(size, [&](double x, double y) { return 0.67 * texture.at(x - 12.3, y + 7.6); });
    for (const cv::Point2d hand : {cv::Point2d(0, 0), {3, -2}, {-6, 5}})
        for (const cv::Point2d at : {cv::Point2d(120.4, 90.7), {60, 60}, {210.5, 130.5}}) {
            const auto found = refined_match(one, at, other, at + cv::Point2d(12.3, -7.6) + hand);
            REQUIRE(found);
            CHECK(found->x == Approx(at.x + 12.3).margin(0.05));
            CHECK(found->y == Approx(at.y - 7.6).margin(0.05));
        }
}

TEST_CASE("where nothing can be found out, the hand's place stays", "[align]") {
    const test::Texture texture(21, 90, 7, 120), elsewhere(5, 90, 7, 120);
    const cv::Size size(200, 150);
    const cv::Mat1f one = luma_of(size, [&](double x, double y) { return texture.at(x, y); });
    const cv::Mat1f flat = luma_of(size, [](double, double) { return 0.5; });
    const cv::Mat1f strange = luma_of(size, [&](double x, double y) { return elsewhere.at(x, y); });
    CHECK_FALSE(refined_match(one, {100, 75}, flat, {100, 75}));
    CHECK_FALSE(refined_match(flat, {100, 75}, one, {100, 75}));
    CHECK_FALSE(refined_match(one, {3, 4}, one, {3, 4}));
    CHECK_FALSE(refined_match(one, {-50, 75}, one, {100, 75}));
    const auto found = refined_match(one, {100, 75}, strange, {100, 75});
    // Chance may find something alike; it must not carry the point far away.
    if (found) CHECK(std::hypot(found->x - 100, found->y - 75) < 20);
}
