// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/focus/focus_profile.h"

#include <catch2/catch.hpp>

#include "core/picture/tone_curve.h"
#include "tests/support/series_files.h"
#include "tests/support/textured.h"

using namespace moorhaze;

namespace {

std::vector<FocusProfile> profiles_of(const Series& series) {
    std::vector<FocusProfile> profiles;
    for (int i = 0; i < series.count(); ++i)
        profiles.push_back(focus_profile(series.frames[std::size_t(i)], i, {}).value());
    return profiles;
}

/// Profiles of strips `first`, `first + step`, ... of a finer series.
std::vector<FocusProfile> without(const std::vector<FocusProfile>& all,
                                  const std::vector<std::size_t>& left_out) {
    std::vector<FocusProfile> kept;
    for (std::size_t i = 0; i < all.size(); ++i)
        if (std::find(left_out.begin(), left_out.end(), i) == left_out.end()) kept.push_back(all[i]);
    return kept;
}

}  // namespace

TEST_CASE("each frame of a strip series is sharpest in its own strip", "[focus]") {
    const test::Scratch scratch;
    const Series series = test::write_series(scratch, test::strip_series({480, 200}, 8));
    const auto profiles = profiles_of(series);
    for (int strip = 0; strip < 8; ++strip) {
        int best = 0;
        for (int i = 1; i < 8; ++i)
            if (sharpness_at(profiles[std::size_t(i)], (strip + 0.5) / 8, 0.5) >
                sharpness_at(profiles[std::size_t(best)], (strip + 0.5) / 8, 0.5))
                best = i;
        CHECK(best == strip);
    }
    const SeriesProfile profile = profile_series(profiles);
    double total = 0;
    for (const double share : profile.share) {
        CHECK(share > 0.03);
        total += share;
    }
    CHECK(total <= 1.0001);
    CHECK(profile.gaps.empty());
    for (const auto& flags : profile.flags) CHECK(flags.empty());
}

TEST_CASE("four missing frames are found as a gap between the right frames", "[focus]") {
    const test::Scratch scratch;
    const auto all = profiles_of(test::write_series(scratch, test::strip_series({640, 200}, 16)));
    const SeriesProfile profile = profile_series(without(all, {6, 7, 8, 9}));
    REQUIRE(profile.gaps.size() == 1);
    CHECK(profile.gaps[0].after == 5);
    CHECK(profile.gaps[0].before == 6);
    CHECK(profile.gaps[0].missing > 1);
    CHECK(profile.gaps[0].missing < 5);
}

TEST_CASE("the demo series are without faults: no flags, no gaps", "[focus]") {
    for (const char* name : {"lichen-cups", "brass-wheels"}) {
        const SeriesProfile profile = profile_series(profiles_of(test::open_demo(name).series));
        INFO(name);
        for (const FocusGap& gap : profile.gaps)
            UNSCOPED_INFO("gap after frame " << gap.after + 1 << ", missing " << gap.missing);
        CHECK(profile.gaps.empty());
        for (const auto& flags : profile.flags)
            for (const FrameFlag& flag : flags) FAIL_CHECK(flag.kind << ": " << flag.reason);
    }
}

TEST_CASE("three frames taken out of a demo series are noticed", "[focus]") {
    for (const char* name : {"lichen-cups", "brass-wheels"}) {
        const auto all = profiles_of(test::open_demo(name).series);
        const SeriesProfile profile = profile_series(without(all, {5, 6, 7}));
        INFO(name);
        REQUIRE(profile.gaps.size() == 1);
        CHECK(profile.gaps[0].after == 4);
        // A lower bound: overlaps fall ever more slowly with distance.
        CHECK(profile.gaps[0].missing > 1.2);
        CHECK(profile.gaps[0].missing < 4);
    }
}

TEST_CASE("a dark frame is flagged with its EV", "[focus]") {
    const test::Scratch scratch;
    auto pictures = test::strip_series({320, 120}, 6);
    const Picture original = pictures[3];
    // Two stops less light: in sRGB's upper part about 0.55 of the encoded value.
    cv::Mat3f light = to_linear(original, ToneCurve({}));
    light *= 0.25f;
    pictures[3] = from_linear(light, ToneCurve({}), {});
    const SeriesProfile profile = profile_series(profiles_of(test::write_series(scratch, pictures)));
    REQUIRE(profile.flags[3].size() >= 1);
    CHECK(profile.flags[3][0].kind == "exposure");
    CHECK(profile.flags[3][0].value == Approx(-2).margin(0.1));
    CHECK_THAT(profile.flags[3][0].reason, Catch::Contains("2.0 EV darker"));
}

TEST_CASE("leading frames in which nothing is sharp are suggested, with the reason", "[focus]") {
    const test::Scratch scratch;
    auto pictures = test::strip_series({400, 160}, 10);
    // The first two strips' subject is missing: smooth backdrop there in all frames.
    for (Picture& picture : pictures) picture.pixels.colRange(0, 100).setTo(cv::Scalar::all(30000));
    const SeriesProfile profile = profile_series(profiles_of(test::write_series(scratch, pictures)));
    REQUIRE(profile.flags[0].size() == 1);
    CHECK(profile.flags[0][0].kind == "unsharp");
    CHECK_THAT(profile.flags[0][0].reason, Catch::Contains("in front of the subject"));
    CHECK(profile.flags[5].empty());
    CHECK(profile.flags[9].empty());
}

TEST_CASE("an unreadable frame is a problem of its own", "[focus]") {
    const test::Scratch scratch;
    test::write_all(scratch / "broken.jpg", "nothing");
    Frame frame{scratch / "broken.jpg", {}, true};
    frame.info.width = 100;
    const auto profile = focus_profile(frame, 4, {});
    REQUIRE_FALSE(profile);
    CHECK(profile.error().frame_index == 4);
    CHECK_THAT(profile.error().what, Catch::Contains("broken.jpg"));
}

TEST_CASE("steps that are twice too wide are a matter of overlap, not of faulty frames", "[focus]") {
    for (const char* name : {"lichen-cups", "brass-wheels"}) {
        const auto all = profiles_of(test::open_demo(name).series);
        std::vector<FocusProfile> every_second;
        for (std::size_t i = 0; i < all.size(); i += 2) every_second.push_back(all[i]);
        INFO(name);
        for (const auto& flags : profile_series(every_second).flags)
            for (const FrameFlag& flag : flags) CHECK(flag.kind == "unsharp");
    }
}
