// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/align/homography.h"

#include <catch2/catch.hpp>

using namespace moorhaze;

TEST_CASE("a map comes back from its parts", "[align]") {
    const HomographyFrame frame({600, 400});
    const HomographyParts parts(0.04, -0.02, 0.1, -0.05, 0.003, -0.002, 0.006, -0.004);
    const HomographyParts back = frame.parts(frame.matrix(parts) * 3.7);
    for (int a = 0; a < kHomographyParts; ++a) CHECK(back[a] == Approx(parts[a]).margin(1e-12));
    CHECK(frame.parts(cv::Matx33d::eye()) == HomographyParts::all(0));
}

TEST_CASE("each part moves places as it says", "[align]") {
    const cv::Size size(600, 400);
    const HomographyFrame frame(size);
    const double x = 0.7, y = -0.3, small = 1e-5;
    const auto moves = HomographyFrame::moves(x, y);
    for (int a = 0; a < kHomographyParts; ++a) {
        HomographyParts parts = HomographyParts::all(0);
        parts[a] = small;
        const double px = frame.centre_x + x * frame.half_diagonal,
                     py = frame.centre_y + y * frame.half_diagonal;
        const cv::Point2d there = mapped(frame.matrix(parts), px, py);
        INFO("part " << a);
        CHECK((there.x - px) / frame.half_diagonal / small == Approx(moves[std::size_t(a)][0]).margin(1e-4));
        CHECK((there.y - py) / frame.half_diagonal / small == Approx(moves[std::size_t(a)][1]).margin(1e-4));
    }
}

TEST_CASE("the greatest distance of two maps is that of the worst corner", "[align]") {
    const cv::Matx33d larger(1.01, 0, 0, 0, 1.01, 0, 0, 0, 1);
    CHECK(greatest_distance(larger, cv::Matx33d::eye(), {301, 401}) == Approx(5.0));
    CHECK(greatest_distance(larger, larger * 2.0, {301, 401}) == Approx(0).margin(1e-9));
}
