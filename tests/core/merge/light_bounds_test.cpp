// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/light_bounds.h"

#include <catch2/catch.hpp>
#include <cstdlib>
#include <vector>

using namespace moorhaze;

namespace {

void add(LightBounds& bounds, const cv::Mat3f& frame) {
    for (int y = 0; y < frame.rows; ++y) bounds.add_row(y, frame.cols, frame[y]);
}

}  // namespace

TEST_CASE("light is held within what the frames have at a place and next to it, each colour by itself",
          "[merge]") {
    const cv::Size size(9, 7);
    LightBounds bounds(size);
    cv::Mat3f dark(size, cv::Vec3f(0.2f, 0.1f, 0.3f)), bright(size, cv::Vec3f(0.4f, 0.5f, 0.35f));
    bright(3, 4) = {0.9f, 0.5f, 0.35f};  // one bright place in one frame
    add(bounds, dark);
    add(bounds, bright);
    cv::Mat3f merged(size, cv::Vec3f(0.95f, 0.0f, 0.32f));
    bounds.hold(merged, {});
    CHECK(merged(0, 0)[0] == Approx(0.4).margin(1e-3));
    CHECK(merged(0, 0)[1] == Approx(0.1).margin(1e-3));
    CHECK(merged(0, 0)[2] == 0.32f);  // within: untouched
    // The bright place and its eight neighbours may be as bright as it.
    for (int y = 0; y < size.height; ++y)
        for (int x = 0; x < size.width; ++x) {
            const bool near = std::abs(y - 3) <= 1 && std::abs(x - 4) <= 1;
            CHECK(merged(y, x)[0] == Approx(near ? 0.9 : 0.4).margin(1e-3));
        }
}

TEST_CASE("only places that contribute count, where none did, light stays as it is", "[merge]") {
    const cv::Size size(12, 3);
    LightBounds bounds(size);
    const cv::Mat3f frame(size, cv::Vec3f(0.5f, 0.5f, 0.5f));
    std::vector<float> share(12, 0.0f);
    for (int x = 0; x < 4; ++x) share[std::size_t(x)] = 1;
    for (int y = 0; y < size.height; ++y) bounds.add_row(y, size.width, frame[y], share.data());
    cv::Mat3f merged(size, cv::Vec3f(2, 2, 2));
    bounds.hold(merged, {});
    CHECK(merged(1, 2)[0] == Approx(0.5).margin(1e-3));
    CHECK(merged(1, 4)[0] == Approx(0.5).margin(1e-3));  // a neighbour contributed
    CHECK(merged(1, 8)[0] == 2.0f);
}

TEST_CASE("bounds that lie block by block hold light as those of whole rows do", "[merge]") {
    const cv::Size size(70, 45);
    cv::theRNG().state = 5;
    LightBounds whole(size), blocks(size, {16, 16});
    for (int frame = 0; frame < 3; ++frame) {
        cv::Mat3f light(size);
        cv::Mat1f share(size);
        cv::randu(light, cv::Scalar::all(0.2), cv::Scalar::all(0.7));
        cv::randu(share, 0, 1);
        cv::Mat1f colours[3];
        cv::split(light, colours);
        for (int y = 0; y < size.height; ++y) {
            whole.add_row(y, size.width, light[y], share[y]);
            for (int x = 0; x < size.width; x += 16) {
                const float* const own[] = {colours[0][y] + x, colours[1][y] + x, colours[2][y] + x};
                blocks.add_row({x, y}, std::min(16, size.width - x), own, share[y] + x);
            }
        }
    }
    cv::Mat3f by_whole(size);
    cv::randu(by_whole, cv::Scalar::all(-0.5), cv::Scalar::all(1.5));
    cv::Mat3f by_blocks = by_whole.clone();
    const cv::Mat3f before = by_whole.clone();
    whole.hold(by_whole, {});
    blocks.hold(by_blocks, {});
    CHECK(cv::norm(by_whole, by_blocks, cv::NORM_INF) == 0);
    CHECK(cv::norm(by_whole, before, cv::NORM_INF) > 0.3);
}
