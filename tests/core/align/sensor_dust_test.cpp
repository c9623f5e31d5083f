// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/align/sensor_dust.h"

#include <catch2/catch.hpp>
#include <cmath>

#include "core/align/measure_series.h"
#include "core/merge/aligned_frames.h"
#include "tests/support/series_files.h"
#include "tests/support/textured.h"

using namespace moorhaze;

namespace {

const cv::Size kDustyFrame(480, 320);
constexpr int kCount = 9, kReference = 4;

const std::vector<DustSpot>& planted_dust() {
    static const std::vector<DustSpot> dust{
        {{120, 90}, 7, 0.5, 0.12}, {{333, 214}, 5, 0.5, 0.20}, {{402, 61}, 9, 0.5, 0.08}};
    return dust;
}

}  // namespace

TEST_CASE("dust that stays on the sensor while the picture moves is found, and taken off every frame",
          "[align][dust]") {
    const test::Scratch dusty_folder, clean_folder;
    const Series series = test::write_series(dusty_folder,
                                             test::dusty_series(kDustyFrame, kCount, planted_dust())),
                 clean = test::write_series(clean_folder, test::dusty_series(kDustyFrame, kCount, {}));
    const SeriesGeometry found = register_series(series, kReference, {});
    REQUIRE(found.dust.size() == planted_dust().size());
    for (const DustSpot& spot : planted_dust()) {
        const auto own = std::min_element(found.dust.begin(), found.dust.end(), [&](auto& a, auto& b) {
            return cv::norm(a.at - spot.at) < cv::norm(b.at - spot.at);
        });
        INFO("planted at " << spot.at << ", found at " << own->at << " radius " << own->radius_px << " depth "
                           << own->depth);
        CHECK(cv::norm(own->at - spot.at) < 0.7);
        CHECK(own->radius_px == Approx(spot.radius_px).epsilon(0.2));
        CHECK(own->depth == Approx(spot.depth).epsilon(0.2));
    }
    CHECK(std::is_sorted(found.dust.begin(), found.dust.end(),
                         [](auto& a, auto& b) { return a.depth > b.depth; }));

    // Laid over the same plane the frames are nearly those without dust, and were not before.
    SeriesGeometry as_it_is = found;
    as_it_is.dust.clear();
    const PixelRect plane({}, kDustyFrame);
    AlignedFrames mended(series, found, {2, 6}, plane), left(series, as_it_is, {2, 6}, plane),
        truth(clean, as_it_is, {2, 6}, plane);
    for (const int place : {0, 1}) {
        const auto error = [&](AlignedFrames& frames) {
            return cv::norm(frames.load(place, {})->pixels, truth.load(place, {})->pixels, cv::NORM_L2);
        };
        const double before = error(left), after = error(mended);
        INFO("frame " << place << ": " << before << " before, " << after << " after");
        CHECK(after < 0.3 * before);
    }
    // Whoever wants it left gets it left, without measuring anew.
    PlaceSettings settings;
    settings.reference = kReference;
    const auto registration = register_series(series, settings, nullptr, nullptr, {}).registration;
    settings.mend_dust = false;
    CHECK(place_frames(*registration, settings).dust.empty());
}

TEST_CASE("no dust is found where there is none, where nothing moves, or in a few frames", "[align][dust]") {
    const test::Scratch clean, still, few;
    CHECK(register_series(test::write_series(clean, test::dusty_series(kDustyFrame, kCount, {})), kReference,
                          {})
              .dust.empty());
    // Subject and dust cannot be told apart there.
    auto resting = test::strip_series(kDustyFrame, kCount);
    for (Picture& picture : resting) picture = test::shaded_by_dust(picture, planted_dust());
    CHECK(register_series(test::write_series(still, resting), kReference, {}).dust.empty());
    auto pictures = test::dusty_series(kDustyFrame, kCount, planted_dust());
    pictures.resize(5);
    CHECK(register_series(test::write_series(few, pictures), 2, {}).dust.empty());
}

TEST_CASE("dark dots of the subject are no dust", "[align][dust]") {
    auto pictures = test::dusty_series(kDustyFrame, kCount, {});
    for (int i = 0; i < kCount; ++i) {
        std::vector<DustSpot> dots = planted_dust();
        // They go with the picture: where a frame shows what the reference shows at the dot's place.
        for (DustSpot& dot : dots) {
            cv::Point2d at = dot.at;
            for (int k = 0; k < 30; ++k)
                at += dot.at - test::held_in_hand(kDustyFrame, kCount, i, at.x, at.y);
            dot.at = at;
        }
        pictures[std::size_t(i)] = test::shaded_by_dust(pictures[std::size_t(i)], dots);
    }
    const test::Scratch scratch;
    CHECK(register_series(test::write_series(scratch, pictures), kReference, {}).dust.empty());
}

TEST_CASE("what dust took is given back exactly, on light and on its root", "[picture][dust]") {
    const std::vector<DustSpot> dust{{{30.4, 20.7}, 6, 0.4, 0.3}, {{52, 33}, 4, 1, 0.5}};
    const cv::Matx33d to_frame(0.5, 0, 3, 0, 0.5, 2, 0, 0, 1);
    const cv::Rect block(10, 8, 90, 60);
    const auto transmission = [&](int x, int y) {
        double light = 1;
        for (const DustSpot& spot : dust)
            light *= 1 - spot.depth * double(DustShade(spot.radius_px, spot.softness)(
                                          std::hypot(0.5 * x + 3 - spot.at.x, 0.5 * y + 2 - spot.at.y)));
        return light;
    };
    for (const double power : {1.0, 0.5}) {
        cv::Mat shaded(block.size(), CV_32FC3);
        for (int y = 0; y < block.height; ++y)
            for (int x = 0; x < block.width; ++x)
                shaded.at<cv::Vec3f>(y, x) = cv::Vec3f(0.2f, 0.5f, 0.9f) *
                                             float(std::pow(transmission(block.x + x, block.y + y), power));
        mend_dust(dust, to_frame, block, power, shaded);
        CHECK(cv::norm(shaded, cv::Mat(block.size(), CV_32FC3, cv::Scalar(0.2, 0.5, 0.9)), cv::NORM_INF) <
              1e-6);
    }
    // In the middle the whole of it, half of it at the radius for a small pupil, nothing beyond reach.
    const DustShade shade(10, 0.1);
    CHECK(shade(0) == 1);
    CHECK(shade(10) == Approx(0.5).margin(0.05));
    CHECK(shade(11.2) == 0);
}
