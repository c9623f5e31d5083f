// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>
#include <cmath>

#include "core/align/common_area.h"

using namespace moorhaze;

namespace {

SeriesGeometry geometry_of(const std::vector<cv::Matx33d>& matrices) {
    SeriesGeometry geometry;
    for (const auto& matrix : matrices) {
        FrameGeometry frame;
        frame.matrix = matrix;
        geometry.frames.push_back(frame);
    }
    return geometry;
}

}  // namespace

TEST_CASE("frames that lie alike share everything", "[align]") {
    CHECK(common_area(geometry_of({cv::Matx33d::eye(), cv::Matx33d::eye()}), {0, 1}, {300, 200}) ==
          PixelRect(0, 0, 300, 200));
}

TEST_CASE("a shifted and a smaller frame leave what both cover", "[align]") {
    const cv::Matx33d shifted(1, 0, 12.5, 0, 1, -7.25, 0, 0, 1);
    CHECK(common_area(geometry_of({cv::Matx33d::eye(), shifted}), {0, 1}, {300, 200}) ==
          PixelRect(13, 0, 287, 192));
    // Scaled about the centre by 0.9: half of 0.1 * 299 and of 0.1 * 199 is lost at each side.
    const cv::Matx33d smaller(0.9, 0, 14.95, 0, 0.9, 9.95, 0, 0, 1);
    CHECK(common_area(geometry_of({cv::Matx33d::eye(), smaller}), {0, 1}, {300, 200}) ==
          PixelRect(15, 10, 270, 180));
}

TEST_CASE("frames that are not asked for or not aligned don't count", "[align]") {
    const cv::Matx33d far_away(1, 0, 5000, 0, 1, 0, 0, 0, 1);
    auto geometry = geometry_of({cv::Matx33d::eye(), far_away});
    CHECK(common_area(geometry, {0}, {300, 200}) == PixelRect(0, 0, 300, 200));
    CHECK(common_area(geometry, {0, 1}, {300, 200}).empty());
    geometry.frames[1].registered = false;
    CHECK(common_area(geometry, {0, 1}, {300, 200}) == PixelRect(0, 0, 300, 200));
}

namespace {

/// Turned about the middle of a frame, and shifted.
cv::Matx33d turned(double degrees, cv::Size size, cv::Point2d by) {
    const double c = std::cos(degrees * CV_PI / 180), s = std::sin(degrees * CV_PI / 180);
    const double x = (size.width - 1) / 2.0, y = (size.height - 1) / 2.0;
    return {c, -s, x - c * x + s * y + by.x, s, c, y - s * x - c * y + by.y, 0, 0, 1};
}

bool covers(const FrameGeometry& frame, cv::Size size, double x, double y) {
    const cv::Vec3d own = frame.matrix.inv() * cv::Vec3d(x, y, 1);
    const double u = own[0] / own[2], v = own[1] / own[2];
    return u >= -2e-3 && v >= -2e-3 && u <= size.width - 1 + 2e-3 && v <= size.height - 1 + 2e-3;
}

}  // namespace

TEST_CASE("of turned and tilted frames the largest rectangle that all cover is found", "[align]") {
    const cv::Size size(120, 80);
    cv::Matx33d tilted = turned(-2, size, {3, -1});
    tilted(2, 0) = 2e-4;
    const auto geometry = geometry_of({cv::Matx33d::eye(), turned(5, size, {-4, 2}), tilted});
    const PixelRect found = common_area(geometry, {0, 1, 2}, size);
    REQUIRE_FALSE(found.empty());
    auto covered = [&](const PixelRect& rect) {
        for (const FrameGeometry& frame : geometry.frames)
            for (const int x : {rect.x, rect.x + rect.width - 1})
                for (const int y : {rect.y, rect.y + rect.height - 1})
                    if (!covers(frame, size, x, y)) return false;
        return true;
    };
    CHECK(covered(found));
    // Every rectangle of whole pixels is tried: in a convex shape, columns that both rows cover are one run.
    int largest = 0;
    for (int top = 0; top < size.height; ++top)
        for (int bottom = top; bottom < size.height; ++bottom) {
            int run = 0;
            for (int x = 0; x < size.width; ++x) {
                bool inside = true;
                for (const FrameGeometry& frame : geometry.frames)
                    inside = inside && covers(frame, size, x, top) && covers(frame, size, x, bottom);
                run = inside ? run + 1 : 0;
                largest = std::max(largest, run * (bottom - top + 1));
            }
        }
    // The search is over real numbers; rounding its sides inwards may cost a row and a column.
    CHECK(found.area() <= largest);
    CHECK(found.area() > largest - found.width - found.height - 1);
}

TEST_CASE("what is kept: what all frames share, the reference frame, or everything", "[align]") {
    const cv::Size size(300, 200);
    const auto geometry = geometry_of({cv::Matx33d::eye(), turned(0, size, {12.5, -7.25})});
    CHECK(kept_area(geometry, {0, 1}, size, KeptArea::common) == PixelRect(13, 0, 287, 192));
    CHECK(kept_area(geometry, {0, 1}, size, KeptArea::reference) == PixelRect(0, 0, 300, 200));
    CHECK(kept_area(geometry, {0, 1}, size, KeptArea::everything) == PixelRect(0, -8, 313, 208));
    CHECK(kept_area(geometry, {1}, size, KeptArea::common) == PixelRect(13, 0, 287, 192));
    CHECK(kept_area_named("everything") == KeptArea::everything);
    CHECK_THROWS_AS(kept_area_named("all"), BadParameter);
}
