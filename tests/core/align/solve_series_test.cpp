// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/align/solve_series.h"

#include <algorithm>
#include <catch2/catch.hpp>
#include <cmath>

#include "core/align/series_geometry.h"

using namespace moorhaze;

namespace {

const cv::Size kSize(900, 600);

/// Planted maps to the first frame: a smooth scale, hand shake, perspective if asked for.
std::vector<cv::Matx33d> planted(int count, double keystone = 0) {
    const HomographyFrame frame(kSize);
    std::vector<cv::Matx33d> maps;
    for (int i = 0; i < count; ++i) {
        const double at = i - (count - 1) / 2.0;
        maps.push_back(frame.matrix(HomographyParts(
            0.01 * std::sin(3.0 * i), 0.008 * std::cos(5.0 * i), 0.006 * at + 1e-5 * at * at,
            0.0004 * std::sin(7.0 * i), 0, 0, keystone * std::sin(2.0 * i), keystone * std::cos(4.0 * i))));
    }
    const cv::Matx33d first = maps[0].inv();
    for (cv::Matx33d& map : maps) map = first * map;
    return maps;
}

/// A pair that knows every part to about `sure_px` at the corners.
MeasuredPair pair_of(const std::vector<cv::Matx33d>& maps, int moving, int fixed, double sure_px = 0.05) {
    const HomographyFrame frame(kSize);
    MeasuredPair pair{moving, fixed, {}};
    pair.pair.fixed_to_moving = maps[std::size_t(moving)].inv() * maps[std::size_t(fixed)];
    const double sure = sure_px / frame.half_diagonal;
    for (int a = 0; a < kHomographyParts; ++a) pair.pair.information(a, a) = 1 / (sure * sure);
    return pair;
}

std::vector<MeasuredPair> neighbours(const std::vector<cv::Matx33d>& maps) {
    std::vector<MeasuredPair> pairs;
    for (int i = 1; i < int(maps.size()); ++i) {
        pairs.push_back(pair_of(maps, i, i - 1));
        if (i > 1) pairs.push_back(pair_of(maps, i, i - 2));
    }
    return pairs;
}

/// As if the frames had been measured, every pair the same.
Registration registration_of(const std::vector<cv::Matx33d>& maps) {
    Registration registration;
    registration.size = kSize;
    registration.used.assign(maps.size(), true);
    registration.problems.resize(maps.size());
    registration.light.resize(maps.size());
    registration.pairs = neighbours(maps);
    return registration;
}

double off(const SolvedSeries& solved, const std::vector<cv::Matx33d>& maps, int frame, int reference = 0) {
    return greatest_distance(
        solved.to_anchor[std::size_t(reference)].inv() * solved.to_anchor[std::size_t(frame)],
        maps[std::size_t(reference)].inv() * maps[std::size_t(frame)], kSize);
}

}  // namespace

TEST_CASE("exact pairs are solved exactly", "[align]") {
    const auto maps = planted(12);
    const SolvedSeries solved =
        solve_series(12, kSize, neighbours(maps), {}, PlaneModel::similarity, Travel::refocused);
    for (int i = 0; i < 12; ++i) {
        CHECK(off(solved, maps, i) < 0.02);
        CHECK(solved.group[std::size_t(i)] == solved.group[0]);
        CHECK(solved.residual_px[std::size_t(i)] < 0.02);
    }
}

TEST_CASE("the model is chosen by what the series needs", "[align]") {
    const auto model_of = [](const std::vector<cv::Matx33d>& maps) {
        return solve_series(int(maps.size()), kSize, neighbours(maps), {}, PlaneModel::automatic,
                            Travel::refocused);
    };
    CHECK(model_of(planted(12)).model == PlaneModel::similarity);
    const SolvedSeries slanted = model_of(planted(12, 0.001));
    CHECK(slanted.model == PlaneModel::perspective);
    CHECK_THAT(slanted.model_reason, Catch::Contains("perspective"));
    for (int i = 0; i < 12; ++i) CHECK(off(slanted, planted(12, 0.001), i) < 0.1);
    std::vector<cv::Matx33d> shifted;
    for (int i = 0; i < 12; ++i)
        shifted.push_back({1, 0, 3.0 * std::sin(2.0 * i), 0, 1, 2.0 * std::cos(3.0 * i), 0, 0, 1});
    CHECK(model_of(shifted).model == PlaneModel::shift);
}

TEST_CASE("a pair that disagrees with the rest loses its weight", "[align]") {
    const auto maps = planted(12);
    auto pairs = neighbours(maps);
    auto wrong = maps;
    wrong[6](0, 2) += 4;
    pairs[std::size_t(2 * 6 - 2)] = pair_of(wrong, 6, 5);
    REQUIRE(pairs[std::size_t(2 * 6 - 2)].moving == 6);
    const SolvedSeries solved = solve_series(12, kSize, pairs, {}, PlaneModel::similarity, Travel::refocused);
    for (int i = 0; i < 12; ++i) CHECK(off(solved, maps, i) < 0.7);
    CHECK(solved.residual_px[6] > 1);
}

TEST_CASE("matching points bind what no measurement links", "[align]") {
    const auto maps = planted(10);
    auto pairs = neighbours(maps);
    std::erase_if(pairs, [](const MeasuredPair& pair) { return pair.fixed < 5 && pair.moving >= 5; });
    const auto group = solve_series(10, kSize, pairs, {}, PlaneModel::similarity, Travel::refocused).group;
    CHECK(group[4] != group[5]);

    std::vector<MatchingPoints> points;
    for (const cv::Point2d at : {cv::Point2d(100, 80), {800, 520}, {120, 500}})
        points.push_back({5, 4, at, mapped(maps[4].inv() * maps[5], at.x, at.y)});
    const SolvedSeries bound =
        solve_series(10, kSize, pairs, points, PlaneModel::similarity, Travel::refocused);
    CHECK(bound.group[4] == bound.group[5]);
    for (int i = 0; i < 10; ++i) CHECK(off(bound, maps, i, 2) < 0.2);
}

TEST_CASE("another reference frame needs no new measurement", "[align]") {
    const auto maps = planted(8);
    Registration registration = registration_of(maps);
    PlaceSettings settings;
    for (const int reference : {0, 3, 7}) {
        settings.reference = reference;
        const SeriesGeometry geometry = place_frames(registration, settings);
        CHECK(geometry.frames[std::size_t(reference)].matrix == cv::Matx33d::eye());
        for (int i = 0; i < 8; ++i)
            CHECK(greatest_distance(geometry.frames[std::size_t(i)].matrix,
                                    maps[std::size_t(reference)].inv() * maps[std::size_t(i)], kSize) < 0.1);
    }
    settings.reference = 9;
    CHECK_THROWS_AS(place_frames(registration, settings), BadParameter);
    settings.reference = 0;
    settings.points = {{2, 2, {1, 1}, {2, 2}}};
    CHECK_THROWS_AS(place_frames(registration, settings), BadParameter);
    // One whose file could not be read is nobody's wrong use.
    settings.points = {};
    registration.problems[0] = "a.tif: cannot be read.";
    CHECK_THROWS_AS(place_frames(registration, settings), FileError);
}

TEST_CASE("a frame that could not be aligned is left out, or lies between its neighbours", "[align]") {
    const auto maps = planted(9);
    Registration registration = registration_of(maps);
    std::erase_if(registration.pairs,
                  [](const MeasuredPair& pair) { return pair.fixed == 4 || pair.moving == 4; });
    PlaceSettings settings;
    settings.reference = 2;
    SeriesGeometry geometry = place_frames(registration, settings);
    CHECK_FALSE(geometry.frames[4].registered);
    CHECK_THAT(geometry.frames[4].problem, Catch::Contains("too little detail"));
    settings.unplaced = Unplaced::interpolate;
    geometry = place_frames(registration, settings);
    CHECK(geometry.frames[4].registered);
    CHECK(geometry.frames[4].interpolated);
    // Shake cannot be known; scale runs smoothly.
    CHECK(std::log(geometry.frames[4].scale()) == Approx(2 * 0.006).margin(0.0005));
}

TEST_CASE("on a rail a frame is placed for its own sharp plane", "[align]") {
    // Steps of d at distance u: chained growth i·d/u; the frame's own plane grows by 1/(1 - i·d/u).
    const HomographyFrame frame(kSize);
    std::vector<cv::Matx33d> maps;
    for (int i = 0; i < 10; ++i) maps.push_back(frame.matrix(HomographyParts(0, 0, 0.01 * i, 0, 0, 0, 0, 0)));
    Registration registration = registration_of(maps);
    registration.travel = Travel::rail;
    const SeriesGeometry geometry = place_frames(registration, {});
    for (int i = 0; i < 10; ++i)
        CHECK(geometry.frames[std::size_t(i)].scale() == Approx(1 / (1 - 0.01 * i)).epsilon(1e-4));
}

TEST_CASE("on a rail frames that could not be measured lie evenly between their neighbours", "[align]") {
    const HomographyFrame frame(kSize);
    std::vector<cv::Matx33d> maps;
    for (int i = 0; i < 12; ++i)
        maps.push_back(frame.matrix(
            HomographyParts(0.002 * std::sin(3.0 * i), 0.002 * std::cos(5.0 * i), 0.01 * i, 0, 0, 0, 0, 0)));
    // Two in the middle, one near an end; the last has nothing behind it.
    for (const std::vector<int>& unmeasured : {std::vector<int>{5}, {5, 6}, {10}, {11}}) {
        Registration registration = registration_of(maps);
        registration.travel = Travel::rail;
        std::erase_if(registration.pairs, [&](const MeasuredPair& pair) {
            return std::any_of(unmeasured.begin(), unmeasured.end(),
                               [&](int i) { return pair.moving == i || pair.fixed == i; });
        });
        // Frames on both sides of two missing ones are linked all the same.
        registration.pairs.push_back(pair_of(maps, 7, 4));
        const SolvedSeries solved =
            solve_series(12, kSize, registration.pairs, {}, PlaneModel::similarity, Travel::rail);
        for (int i = 0; i < 12; ++i) {
            const double growth =
                frame.parts(solved.to_anchor[0].inv() * solved.to_anchor[std::size_t(i)])[kGrowth];
            INFO("frame " << i << ", unmeasured " << unmeasured.front());
            CHECK(growth == Approx(0.01 * i).margin(0.0008));
        }
        PlaceSettings settings;
        settings.unplaced = Unplaced::interpolate;
        const SeriesGeometry geometry = place_frames(registration, settings);
        if (unmeasured.front() == 5) {
            CHECK(geometry.frames[5].interpolated);
            CHECK(geometry.frames[5].scale() == Approx(1 / (1 - 0.05)).epsilon(2e-3));
        }
    }
}

TEST_CASE("on a rail a step that is missing jumps, and the frames on both sides lie right", "[align]") {
    const HomographyFrame frame(kSize);
    std::vector<cv::Matx33d> maps;
    for (int i = 0; i < 12; ++i)
        maps.push_back(frame.matrix(HomographyParts(0, 0, 0.01 * (i < 6 ? i : i + 3), 0, 0, 0, 0, 0)));
    const SolvedSeries solved =
        solve_series(12, kSize, neighbours(maps), {}, PlaneModel::similarity, Travel::rail);
    for (int i = 0; i < 12; ++i) CHECK(off(solved, maps, i) < 0.05);
}

TEST_CASE("frames that lie over each other already are not moved", "[align]") {
    const HomographyFrame frame(kSize);
    std::vector<cv::Matx33d> maps;
    for (int i = 0; i < 8; ++i)
        maps.push_back(frame.matrix(
            HomographyParts(2e-5 * std::sin(3.0 * i), 2e-5 * std::cos(2.0 * i), 0, 0, 0, 0, 0, 0)));
    Registration registration = registration_of(maps);
    const SeriesGeometry geometry = place_frames(registration, {});
    CHECK(geometry.as_it_lies);
    for (const FrameGeometry& own : geometry.frames) CHECK(own.matrix == cv::Matx33d::eye());
}

TEST_CASE("frames that are taken as they lie keep their places and say so", "[align]") {
    Series series;
    series.frames.resize(3);
    const SeriesGeometry geometry = unmoved(series, 2);
    CHECK(geometry.reference == 2);
    CHECK(geometry.as_it_lies);
    REQUIRE(geometry.frames.size() == 3);
    for (const FrameGeometry& own : geometry.frames) CHECK(own.matrix == cv::Matx33d::eye());
}
