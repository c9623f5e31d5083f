// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/align/far_links.h"

#include <catch2/catch.hpp>
#include <set>

#include "core/align/resting_places.h"
#include "core/picture/luma.h"
#include "core/work/for_rows.h"
#include "tests/support/series_files.h"

using namespace moorhaze;

namespace {

const cv::Size kTiedFrame(640, 400);

/// What two frames show in common that lie apart by a shift: blurred detail of the subject all over, and
/// crisp specks that rest.
MeasuredPair dusty_pair(int fixed, cv::Point2d shift, const std::vector<cv::Point2d>& specks) {
    MeasuredPair pair;
    pair.moving = fixed + 1;
    pair.fixed = fixed;
    pair.spots.frame = kTiedFrame;
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

TEST_CASE("frames far from each other are tied by what the one has sharp and the other blurred",
          "[align][solve]") {
    constexpr int kFrames = 10, kReference = 5;
    constexpr double kDrift = 0.12;  // px a frame that the geometry given is wrong by
    const auto pictures = test::strip_series(kTiedFrame, kFrames);
    std::vector<SmallFrame> frames;
    SeriesGeometry geometry;
    geometry.reference = kReference;
    for (int i = 0; i < kFrames; ++i) {
        frames.push_back({i, perceptual_luma(pictures[std::size_t(i)], ToneCurve({}), {}), 1, 0});
        FrameGeometry own;
        own.matrix(0, 2) = kDrift * (i - kReference);
        geometry.frames.push_back(own);
    }
    const std::vector<MeasuredPair> links = far_links(frames, geometry, {});
    REQUIRE(links.size() > 10);
    double all = 0, wrong = 0;
    for (const MeasuredPair& link : links) {
        CHECK(std::abs(link.moving - link.fixed) >= 3);
        cv::Matx<double, kHomographyParts, kHomographyParts> held = link.pair.information;
        for (int a = 0; a < kHomographyParts; ++a)
            held(a, a) += a == kRight || a == kDown ? 1e-3 : 1e12;  // a shift alone
        HomographyParts step;
        REQUIRE(cv::solve(held, link.pair.pull, step, cv::DECOMP_CHOLESKY));
        const cv::Matx33d map = link.pair.fixed_to_moving * HomographyFrame(kTiedFrame).matrix(step);
        const double weight = link.pair.spots;
        all += weight * std::abs(kDrift * (link.moving - link.fixed));
        wrong += weight * cv::norm(mapped(map, 320, 200) - cv::Point2d(320, 200));
    }
    INFO("of " << all << " px (by spots) " << wrong << " are left");
    CHECK(wrong < 0.35 * all);

    const ThreadLimit one(1);
    const std::vector<MeasuredPair> again = far_links(frames, geometry, {});
    REQUIRE(again.size() == links.size());
    for (std::size_t i = 0; i < links.size(); ++i) CHECK(again[i].pair.pull == links[i].pair.pull);
    frames.resize(5);
    CHECK(far_links(frames, geometry, {}).empty());
}
