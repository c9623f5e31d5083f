// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/woven_rows.h"

#include <catch2/catch.hpp>
#include <set>
#include <vector>

using namespace moorhaze;

TEST_CASE("sums of blocks have each place once, up to the odd rims", "[merge][woven]") {
    for (const cv::Size size : {cv::Size(37, 21), cv::Size(32, 16), cv::Size(1, 1)})
        for (const cv::Size block : {cv::Size(16, 16), size}) {
            WovenSums sums(size, block);
            std::set<const float*> places;
            for (int y = 0; y < size.height; ++y)
                for (int x = 0; x < size.width; ++x) {
                    const WovenSums::Row own = sums.row({x, y});
                    CHECK(*own.weight == 0);
                    CHECK(*own.strongest == -1);
                    for (const float* place :
                         {own.detail[0], own.detail[1], own.detail[2], own.weight, own.root, own.strongest})
                        places.insert(place);
                    if (x % block.width > 0) CHECK(sums.row({x - 1, y}).root + 1 == own.root);
                }
            CHECK(places.size() == 6 * std::size_t(size.area()));
        }
}

TEST_CASE("one frame's detail comes out of the sums as it went in, whatever its weight", "[merge][woven]") {
    constexpr int width = 19;
    const std::vector<float> detail(width, 0.25f), share(width, 1.0f), energy(width, 0.01f);
    std::vector<float> weight(width, 3.0f), light(3 * width, 0.5f);
    weight[7] = 0;
    std::vector<ushort> source(width, 0);
    WovenSums sums({width, 1}, {width, 1});
    const FrameRow frame{
        {detail.data(), detail.data(), detail.data()}, weight.data(), share.data(), energy.data()};
    add_row(frame, 0.001f, sums.row({0, 0}), width);
    keep_strongest_row(frame, 0, 5, sums.row({0, 0}).strongest, source.data(), width);
    restore_contrast_row(sums.row({0, 0}), 0.001f, light.data(), width);
    for (std::size_t x = 0; x < width; ++x) {
        CHECK(source[x] == (x == 7 ? 0 : 5));
        for (std::size_t c = 0; c < 3; ++c) CHECK(light[3 * x + c] == Approx(x == 7 ? 0.5 : 0.75));
    }
}

TEST_CASE("softer frames among those that contribute cost no contrast", "[merge][woven]") {
    // Two frames of equal weight: one has the detail, of the other blur took all but a twentieth, which is
    // about 1/400 of its energy.
    constexpr float kStrong = 0.1f, kSoft = 0.005f, kEnergy = 0.01f;
    std::vector<float> light(3, 0.5f);
    WovenSums sums({1, 1}, {1, 1});
    ushort source = 0;
    const float one = 1;
    for (const bool strong : {true, false}) {
        const float detail = strong ? kStrong : kSoft, energy = strong ? kEnergy : kEnergy / 400;
        const FrameRow frame{{&detail, &detail, &detail}, &one, &one, &energy};
        add_row(frame, 1e-9f, sums.row({0, 0}), 1);
        keep_strongest_row(frame, 0, strong ? 1 : 2, sums.row({0, 0}).strongest, &source, 1);
    }
    restore_contrast_row(sums.row({0, 0}), 1e-9f, light.data(), 1);
    CHECK(source == 1);
    // Plain mixing would leave about half of it; fitted to whole series, the power gives back somewhat more.
    CHECK(light[0] - 0.5f > 0.9f * kStrong);
    CHECK(light[0] - 0.5f < 1.8f * kStrong);
}
