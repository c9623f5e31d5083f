// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/shown/tinted_edges.h"

#include <algorithm>
#include <catch2/catch.hpp>
#include <cmath>

#include "tests/support/textured.h"

using namespace moorhaze;
using moorhaze::desktop::tinted_edges;

namespace {

/// A bright upright bar.
Picture bar_at(int left) {
    return test::picture_from({120, 60}, [=](int x, int) { return x >= left && x < left + 20 ? 0.8 : 0.3; });
}

}  // namespace

TEST_CASE("edges of two frames have a colour each, and are white where they coincide", "[desktop][align]") {
    const cv::Mat3b apart = tinted_edges(bar_at(30), bar_at(70), {}),
                    together = tinted_edges(bar_at(30), bar_at(30), {});
    const cv::Vec3b shown = apart(30, 30), other = apart(30, 70), both = together(30, 30),
                    plain = apart(30, 110);
    CHECK(shown[2] > shown[1] + 60);  // violet
    CHECK(other[1] > other[2] + 60);  // yellow-green
    CHECK(std::min({both[0], both[1], both[2]}) > 230);
    CHECK(std::max({plain[0], plain[1], plain[2]}) < 60);
    CHECK(std::max({together(30, 70)[0], together(30, 70)[1], together(30, 70)[2]}) < 60);
}

TEST_CASE("a soft frame's edges are as strong as a sharp one's", "[desktop][align]") {
    const Picture soft =
        test::picture_from({120, 60}, [](int x, int) { return 0.3 + 0.2 / (1 + std::exp(-(x - 60) / 3.0)); });
    const cv::Mat3b tinted = tinted_edges(soft, bar_at(10), {});
    CHECK(tinted(30, 60)[2] > 200);
    CHECK(tinted(30, 10)[1] > 130);
}
