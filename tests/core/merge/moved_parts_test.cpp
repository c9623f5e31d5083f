// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/moved_parts.h"

#include <catch2/catch.hpp>
#include <cmath>

using namespace moorhaze;

namespace {

constexpr int kMovedFrames = 14;
const cv::Size kMovedSize(60, 40);

/// Light that changes smoothly from frame to frame, as defocus does, with a little noise; `moved` adds to it.
template <class Moved>
std::vector<cv::Mat1f> light_of(const Moved& moved) {
    std::vector<cv::Mat1f> light;
    for (int k = 0; k < kMovedFrames; ++k) {
        cv::Mat1f own(kMovedSize);
        for (int y = 0; y < kMovedSize.height; ++y)
            for (int x = 0; x < kMovedSize.width; ++x) {
                const double away = (k - x * kMovedFrames / 60.0) / 5;
                const double noise = 0.001 * std::sin(12.9898 * x + 78.233 * y + 37.719 * k);
                own(y, x) = float(0.4 + 0.2 * std::exp(-away * away) + noise + moved(k, x, y));
            }
        light.push_back(own);
    }
    return light;
}

std::vector<cv::Mat1f> sharpness_of_all(float early, float late, int from) {
    std::vector<cv::Mat1f> sharpness;
    for (int k = 0; k < kMovedFrames; ++k) sharpness.emplace_back(kMovedSize, k < from ? early : late);
    return sharpness;
}

}  // namespace

TEST_CASE("light that only defocus changes has no moved parts", "[merge][moved]") {
    const auto still =
        find_moved_parts(light_of([](int, int, int) { return 0.0; }), sharpness_of_all(1, 1, 0), 0.002f, {});
    CHECK_FALSE(still.any());
    CHECK(cv::countNonZero(still.first) == 0);
    CHECK(cv::countNonZero(still.last != kMovedFrames - 1) == 0);
}

TEST_CASE("a part that moves between two frames keeps the state that is shown sharp", "[merge][moved]") {
    // A leaf 10 x 8 at the left until frame 8, at the right from then on.
    auto leaf = [](int k, int x, int y) {
        const int left = k < 8 ? 10 : 24;
        return x >= left && x < left + 10 && y >= 12 && y < 20 ? 0.25 : 0.0;
    };
    for (const bool early : {true, false}) {
        const auto moved = find_moved_parts(
            light_of(leaf), early ? sharpness_of_all(2, 1, 8) : sharpness_of_all(1, 2, 8), 0.002f, {});
        REQUIRE(moved.any());
        for (const int x : {14, 29}) {  // the old place and the new one
            CHECK(moved.first(16, x) == (early ? 0 : 8));
            CHECK(moved.last(16, x) == (early ? 7 : kMovedFrames - 1));
        }
        CHECK(moved.first(35, 50) == 0);
        CHECK(moved.last(35, 50) == kMovedFrames - 1);
    }
}

TEST_CASE("single places that flash are too small to be a part that moved", "[merge][moved]") {
    const auto moved = find_moved_parts(
        light_of([](int k, int x, int y) { return k >= 5 && x == 20 && y == 20 ? 0.3 : 0.0; }),
        sharpness_of_all(1, 1, 0), 0.002f, {});
    CHECK_FALSE(moved.any());
}

TEST_CASE("two frames are never said to have moved: nothing says which change is usual", "[merge][moved]") {
    auto light = light_of([](int k, int, int) { return k * 0.3; });
    light.resize(2);
    CHECK_FALSE(
        find_moved_parts(light, {cv::Mat1f(kMovedSize, 1.0f), cv::Mat1f(kMovedSize, 1.0f)}, 0.002f, {})
            .any());
}
