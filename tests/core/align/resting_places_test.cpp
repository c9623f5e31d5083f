// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/align/resting_places.h"

#include <catch2/catch.hpp>

using namespace moorhaze;

namespace {

const cv::Size kDustyPlane(640, 400);

/// What two frames show in common that lie apart by a shift: blurred detail of the subject all over, and
/// crisp specks that rest.
MeasuredPair dusty_pair(int fixed, cv::Point2d shift, const std::vector<cv::Point2d>& specks) {
    MeasuredPair pair;
    pair.moving = fixed + 1;
    pair.fixed = fixed;
    pair.spots.frame = kDustyPlane;
    pair.spots.level_scales = {1, 2};
    for (int i = 0; i < 60; ++i) {
        // Other places in each frame, errors that even out.
        const cv::Point2d at(40 + (i % 10) * 60 + (fixed * 7) % 13, 40 + (i / 10) * 60 + (fixed * 5) % 11),
            error(0.05 * (i % 3 - 1), 0.05 * (i / 3 % 3 - 1));
        pair.spots.found.push_back({at, at + shift + error, cv::Matx22d::eye() * 0.02, 0.9, 2, 0, 10});
    }
    for (const cv::Point2d& at : specks)
        pair.spots.found.push_back({at, at, cv::Matx22d::eye() * 1e-4, 0.99, 0, 0, 10});
    pair.spots.tried = pair.spots.found.size();
    pair.spots.fixed_to_moving = {1, 0, shift.x / 2, 0, 1, shift.y / 2, 0, 0, 1};
    pair.pair.fixed_to_moving = pair.spots.fixed_to_moving;
    return pair;
}

}  // namespace

TEST_CASE("what rests on the sensor while the picture moves is found, and pairs are laid without it",
          "[align][dust]") {
    const std::vector<cv::Point2d> specks{{111, 95}, {322, 215}, {505, 171}, {90, 330}, {420, 64}};
    const cv::Point2d shift(1.6, -0.7);
    std::vector<MeasuredPair> pairs;
    for (int i = 0; i < 8; ++i) pairs.push_back(dusty_pair(i, shift, specks));
    const std::vector<RestingPlace> resting = resting_places(pairs);
    for (const cv::Point2d& speck : specks)
        CHECK(std::any_of(resting.begin(), resting.end(),
                          [&](const RestingPlace& own) { return cv::norm(own.at - speck) < 4; }));
    for (const RestingPlace& own : resting)
        CHECK(std::any_of(specks.begin(), specks.end(),
                          [&](const cv::Point2d& speck) { return cv::norm(own.at - speck) < 8; }));
    const auto off = [&](const std::vector<RestingPlace>& without) {
        const auto laid = lay_pair(pairs[3].spots, without);
        REQUIRE(laid);
        return cv::norm(mapped(laid->fixed_to_moving, 320, 200) - cv::Point2d(320, 200) - shift);
    };
    INFO("off by " << off({}) << " px with what rests, " << off(resting) << " without");
    CHECK(off(resting) < 0.05);
    CHECK(off(resting) < 0.2 * off({}));

    // Where the picture rests, too, nothing tells them apart, and nothing is left out.
    std::vector<MeasuredPair> still;
    for (int i = 0; i < 8; ++i) still.push_back(dusty_pair(i, {}, specks));
    CHECK(resting_places(still).empty());
    CHECK(resting_places({}).empty());
}
