// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mend/snags.h"

#include <catch2/catch.hpp>

#include "core/align/measure_series.h"
#include "core/mend/strokes.h"
#include "core/work/for_rows.h"
#include "tests/support/series_files.h"

using namespace moorhaze;

namespace {

const cv::Size kSize(320, 240);

Picture even(int grey) {
    return {cv::Mat(kSize, CV_8UC3, cv::Scalar::all(grey)), {}, {}};
}

/// Three even frames, the nearest the darkest, and a merge that is the middle one everywhere.
struct Planted {
    test::Scratch scratch;
    Series series;
    SeriesGeometry geometry;
    MergeResult merge;

    explicit Planted(const std::vector<int>& greys = {100, 150, 200}) {
        std::vector<Picture> pictures;
        for (const int grey : greys) pictures.push_back(even(grey));
        series = test::write_series(scratch, pictures);
        geometry = unmoved(series, series.count() / 2);
        merge.picture.pixels = cv::Mat(kSize, CV_16UC3, cv::Scalar::all(150 * 257));
        merge.depth = cv::Mat1f(kSize, 2.0f);
        merge.source = cv::Mat1w(kSize, ushort(2));
        merge.made_by = cv::Mat1b(kSize, uchar(MadeBy::depth_map));
        merge.area = {{}, kSize};
    }
    void paint(cv::Rect where, int grey) { merge.picture.pixels(where).setTo(cv::Scalar::all(grey * 257)); }
    std::vector<Snag> found(const SnagSettings& settings = {}) const {
        AlignedFrames frames(series, geometry, series.chosen(), merge.area);
        return find_snags(merge, frames, settings, {});
    }
};

bool holds(const Snag& snag, cv::Rect area) {
    return (snag.area & area) == area;
}

}  // namespace

TEST_CASE("a merge that looks like the frames of its depths has no snags", "[mend][snags]") {
    Planted planted;
    CHECK(planted.found().empty());
    planted.merge.depth(cv::Rect(160, 0, 160, 240)).setTo(3);
    planted.paint({160, 0, 160, 240}, 200);
    // But for the hard seam itself, where a pixel at half size is of both.
    for (const Snag& snag : planted.found()) CHECK(std::abs(snag.place.x - 160) <= 6);
}

TEST_CASE("what is brighter or darker than any frame is a halo or a dark rim, the stronger first",
          "[mend][snags]") {
    Planted planted;
    const cv::Rect bright(60, 60, 24, 24), dark(220, 140, 24, 24);
    planted.paint(bright, 250);
    planted.paint(dark, 40);
    const std::vector<Snag> snags = planted.found();
    REQUIRE(snags.size() == 2);
    CHECK(snags[0].strength >= snags[1].strength);
    const Snag& halo = snags[0].kind == SnagKind::bright_halo ? snags[0] : snags[1];
    const Snag& rim = snags[0].kind == SnagKind::bright_halo ? snags[1] : snags[0];
    CHECK(halo.kind == SnagKind::bright_halo);
    CHECK(rim.kind == SnagKind::dark_rim);
    CHECK((halo.area & bright).area() > 0.8 * bright.area());
    CHECK((rim.area & dark).area() > 0.8 * dark.area());
    CHECK(bright.contains(halo.place));
    CHECK(dark.contains(rim.place));
    CHECK(halo.frame == 2);
    // Luma on a square-root scale: sRGB 250 against 150 (IEC 61966-2-1), half again for the depths around,
    // which are the same frame.
    const double light = std::pow((250 / 255.0 + 0.055) / 1.055, 2.4),
                 usual = std::pow((150 / 255.0 + 0.055) / 1.055, 2.4);
    CHECK(halo.strength == Approx(1.5 * (std::sqrt(light) - std::sqrt(usual))).epsilon(0.05));
}

TEST_CASE("where far depths meet and neither frame looks like the merge there is a soft rim, or a thin thing",
          "[mend][snags]") {
    Planted planted({100, 120, 150, 170, 200});
    // Far at the right, near at the left, and a veil of both between them on the far side.
    planted.merge.depth.setTo(5);
    planted.paint({0, 0, 320, 240}, 200);
    planted.merge.depth(cv::Rect(0, 0, 160, 240)).setTo(1);
    planted.paint({0, 0, 160, 240}, 100);
    planted.paint({160, 100, 8, 40}, 150);
    std::vector<Snag> snags = planted.found();
    REQUIRE(!snags.empty());
    CHECK(snags[0].kind == SnagKind::soft_rim);
    CHECK(holds(snags[0], {160, 110, 8, 20}));
    CHECK(snags[0].nearest == 1);
    CHECK(snags[0].farthest == 5);
    CHECK(sentence_of(snags[0]).find("frames 1 and 5") != std::string::npos);

    // A near thread before the far plane.
    planted.merge.depth.setTo(5);
    planted.paint({0, 0, 320, 240}, 200);
    planted.merge.depth(cv::Rect(0, 118, 320, 4)).setTo(1);
    planted.paint({0, 118, 320, 4}, 150);
    snags = planted.found();
    REQUIRE(!snags.empty());
    CHECK(snags[0].kind == SnagKind::thin_thing);
}

TEST_CASE("parts that moved, highlights and places without a sharp frame are named so", "[mend][snags]") {
    for (const auto& [made_by, kind] : {std::pair{MadeBy::one_state, SnagKind::moved},
                                        {MadeBy::highlight, SnagKind::glare},
                                        {MadeBy::backdrop, SnagKind::never_sharp},
                                        {MadeBy::pyramid, SnagKind::blended}}) {
        Planted planted;
        const cv::Rect place(100, 100, 24, 24);
        planted.paint(place, 175);  // between the frames
        planted.merge.made_by(place).setTo(uchar(made_by));
        const std::vector<Snag> snags = planted.found();
        REQUIRE(snags.size() == 1);
        CHECK(snags[0].kind == kind);
        CHECK(!sentence_of(snags[0]).empty());
    }
}

TEST_CASE("dust that was left on the frames is a streak where a frame gives its shadow, mended dust is none",
          "[mend][snags][dust]") {
    // Each frame gives its strip of 53 px: the fifth shows the first speck in it, and the second lies in no
    // strip of a frame that has it there.
    const std::vector<DustSpot> dust{{{240, 90}, 7, 0.5, 0.15}, {{120, 250}, 6, 0.5, 0.15}};
    const test::Scratch scratch;
    const Series series = test::write_series(scratch, test::dusty_series({480, 320}, 9, dust));
    PlaceSettings placing;
    placing.reference = 4;
    const auto registration = register_series(series, placing, nullptr, nullptr, {}).registration;
    REQUIRE(registration->dust.size() == 2);
    const auto streaks = [&](bool mended) {
        placing.mend_dust = mended;
        const SeriesGeometry geometry = place_frames(*registration, placing);
        AlignedFrames frames(series, geometry, series.chosen(), {{}, series.size()});
        const MergeResult merge = merge_method("depth").merge(frames, {}, {}, {});
        std::vector<Snag> found = find_snags(merge, frames, {}, {});
        std::erase_if(found, [](const Snag& snag) { return snag.kind != SnagKind::dust; });
        for (Snag& snag : found) CHECK(sentence_of(snag).find("Dust on the sensor") == 0);
        return std::pair(found, geometry);
    };
    const auto [left, geometry] = streaks(false);
    constexpr int kShows = 4;
    const cv::Vec3d at = geometry.frames[kShows].matrix * cv::Vec3d(dust[0].at.x, dust[0].at.y, 1);
    const cv::Point place(cvRound(at[0] / at[2]), cvRound(at[1] / at[2]));
    REQUIRE(left.size() == 1);
    CHECK(left[0].area.contains(place));
    CHECK(left[0].frame == kShows + 1);
    // The frame that it names instead shows the place beside the speck.
    REQUIRE(left[0].without_dust > 0);
    const cv::Vec3d elsewhere = geometry.frames[std::size_t(left[0].without_dust - 1)].matrix *
                                cv::Vec3d(dust[0].at.x, dust[0].at.y, 1);
    CHECK(cv::norm(cv::Point2d(elsewhere[0], elsewhere[1]) / elsewhere[2] - cv::Point2d(left[0].place)) >
          dust[0].radius_px);
    CHECK(left[0].strength > kPlainStrength);
    CHECK(streaks(true).first.empty());
}

TEST_CASE("places next to each other are one snag, more than are asked for are not given", "[mend][snags]") {
    Planted planted;
    planted.paint({100, 100, 8, 8}, 250);
    planted.paint({118, 100, 8, 8}, 250);
    CHECK(planted.found().size() == 1);
    planted.paint({240, 200, 8, 8}, 240);
    CHECK(planted.found().size() == 2);
    CHECK(planted.found({.most = 1}).size() == 1);
}

TEST_CASE("made smaller, fine faults fade and broad ones stay", "[mend][snags]") {
    Planted planted({150, 150, 150});
    const cv::Rect broad(40, 40, 64, 64);
    planted.paint(broad, 162);
    for (int x = 200; x < 260; x += 2) planted.paint({x, 140, 1, 60}, x % 4 == 0 ? 220 : 70);
    const std::vector<Snag> snags = planted.found();
    REQUIRE(snags.size() == 2);
    const Snag &fine = snags[0], &smooth = snags[1];
    CHECK((smooth.area & broad).area() > 0.8 * broad.area());
    CHECK(strength_at(fine, 1) == fine.strength);
    CHECK(strength_at(fine, 1.5) == fine.strength);
    CHECK(strength_at(fine, 1 / 4.0) < 0.2 * fine.strength);
    CHECK(strength_at(fine, 1 / 4.0) < kSeenStrength);
    CHECK(strength_at(smooth, 1 / 4.0) == Approx(smooth.strength).epsilon(0.1));
    CHECK(strength_at(smooth, 1 / 100.0) == smooth.strength_smaller[2]);
    for (const Snag& snag : snags) {  // between two sizes it lies between
        const double at = strength_at(snag, 0.35);
        CHECK(at <= std::max(strength_at(snag, 0.5), strength_at(snag, 0.25)));
        CHECK(at >= std::min(strength_at(snag, 0.5), strength_at(snag, 0.25)));
    }
}

TEST_CASE("by nearness the walk begins with the strongest and goes on to whatever is near", "[mend][snags]") {
    const auto at = [](int x, int y, double strength) {
        Snag snag;
        snag.place = {x, y};
        snag.strength = strength;
        return snag;
    };
    const std::vector<Snag> by_strength{at(500, 0, 0.09),  at(0, 0, 0.08),  at(40, 0, 0.07),
                                        at(480, 30, 0.06), at(20, 0, 0.02), at(1000, 0, 0.015)};
    std::vector<int> walked;
    for (const Snag& snag : nearest_next(by_strength)) walked.push_back(snag.place.x);
    CHECK(walked == std::vector<int>{500, 480, 40, 20, 0, 1000});
    CHECK(nearest_next({}).empty());
}

TEST_CASE("snags are the same for any number of threads, and of a part of the plane", "[mend][snags]") {
    Planted planted;
    planted.paint({60, 60, 14, 14}, 250);
    planted.paint({200, 150, 30, 10}, 90);
    const std::vector<Snag> all = planted.found();
    {
        const ThreadLimit one(1);
        CHECK(planted.found() == all);
    }
    // The same merge of less than the frame: places stay in reference pixels.
    const cv::Rect part(40, 20, 260, 200);
    MergeResult& merge = planted.merge;
    merge.picture.pixels = merge.picture.pixels(part).clone();
    merge.depth = merge.depth(part).clone();
    merge.source = merge.source(part).clone();
    merge.made_by = merge.made_by(part).clone();
    merge.area = part;
    const std::vector<Snag> cut = planted.found();
    REQUIRE(cut.size() == all.size());
    for (std::size_t i = 0; i < all.size(); ++i) CHECK(cv::norm(cut[i].place - all[i].place) <= 4);
}

TEST_CASE("a frame that cannot be read is passed over, without any the reason is given", "[mend][snags]") {
    Planted planted;
    planted.paint({60, 60, 14, 14}, 250);
    std::filesystem::remove(planted.series.frames[0].path);
    CHECK(planted.found().size() == 1);
    AlignedFrames others(planted.series, planted.geometry, {0, 1, 2}, {0, 0, 10, 10});
    CHECK_THROWS_AS(find_snags(planted.merge, others, {}, {}), BadParameter);
    AlignedFrames none(planted.series, planted.geometry, {0}, planted.merge.area);
    CHECK_THROWS_AS(find_snags(planted.merge, none, {}, {}), FileError);
}

TEST_CASE("how much of a place is painted follows draw-in and wiping back", "[mend]") {
    Stroke stroke{FrameId{1}, 10, 0, 0.5, {{50, 50}, {80, 50}}};
    SharedList<Stroke> strokes;
    CHECK(painted_on(strokes, {50, 50, 1, 1}, {}, {}).share(0, 0) == 0);
    strokes = strokes.appended(stroke);
    CHECK(painted_on(strokes, {60, 52, 1, 1}, {}, {}).share(0, 0) == Approx(0.5));
    CHECK(painted_on(strokes, {60, 90, 1, 1}, {}, {}).share(0, 0) == 0);
    strokes = strokes.appended(stroke);
    CHECK(painted_on(strokes, {60, 52, 1, 1}, {}, {}).share(0, 0) == Approx(0.75));
    Snag snag;
    snag.place = {60, 52};
    CHECK(is_painted(snag, strokes, {}));
    snag.place = {60, 90};
    CHECK_FALSE(is_painted(snag, strokes, {}));
    stroke.source = WipeBack{};
    stroke.flow = 1;
    CHECK(painted_on(strokes.appended(stroke), {60, 52, 1, 1}, {}, {}).share(0, 0) == Approx(0).margin(1e-6));
}
