// SPDX-License-Identifier: GPL-3.0-or-later
// Faults planted in simulated series, found by comparing the frames.
#include <catch2/catch.hpp>

#include "core/focus/focus_profile.h"
#include "core/focus/frame_faults.h"
#include "rig/scenes.h"
#include "rig/simulate.h"
#include "tests/support/scratch.h"

using namespace moorhaze;
using namespace moorhaze::rig;

namespace {

SeriesProfile profiled(const test::Scratch& scratch, const SimulateSettings& settings) {
    simulate(settings, scratch / "series", {});
    const Series series = open_series({scratch / "series/frames"}, {}).series;
    std::vector<FocusProfile> profiles;
    for (int i = 0; i < series.count(); ++i)
        profiles.push_back(*focus_profile(series.frames[std::size_t(i)], i, {}));
    return profile_series(profiles);
}

SimulateSettings small(const std::string& scene, std::uint32_t seed) {
    SimulateSettings settings;
    settings.scene = scene;
    settings.seed = seed;
    settings.frames = 14;
    settings.width_px = 480;
    settings.height_px = 320;
    settings.noise = 0.15;
    settings.moves_at = 999;  // nothing moves unless a test says so
    settings.rays = {3, 10, 0.03f};
    settings.true_pictures = false;  // nobody looks at them here
    return settings;
}

/// "kind@frame" of every flag but those of frames outside the subject.
std::vector<std::string> found(const SeriesProfile& profile) {
    std::vector<std::string> list;
    for (std::size_t i = 0; i < profile.flags.size(); ++i)
        for (const FrameFlag& flag : profile.flags[i])
            if (flag.kind != "unsharp") {
                list.push_back(flag.kind + "@" + std::to_string(i + 1));
                CHECK_FALSE(flag.reason.empty());
            }
    return list;
}

}  // namespace

TEST_CASE("series without faults raise no alarm", "[faults]") {
    const std::string scene = GENERATE("brass-wheels", "lichen-cups");
    const test::Scratch scratch;
    INFO(scene);
    CHECK(found(profiled(scratch, small(scene, 21))) == std::vector<std::string>{});
}

TEST_CASE("faults of the light are found at their frames, and no others", "[faults]") {
    const std::string scene = GENERATE("brass-wheels", "lichen-cups");
    const test::Scratch scratch;
    SimulateSettings settings = small(scene, 22);
    settings.faults = {{"misfire", 3}, {"band", 5}, {"exposure", 11}};
    INFO(scene);
    CHECK(found(profiled(scratch, settings)) ==
          std::vector<std::string>{"misfire@3", "band@5", "exposure@11"});
}

TEST_CASE("faults of the camera are found at their frames, and no others", "[faults]") {
    const std::string scene = GENERATE("brass-wheels", "lichen-cups");
    const test::Scratch scratch;
    SimulateSettings settings = small(scene, 23);
    // A duplicate differs by noise alone: this one is shot with less of it.
    settings.rays = {6, 24, 0.02f};
    settings.faults = {{"duplicate", 4}, {"framing", 9}, {"bump", 12}};
    INFO(scene);
    // The duplicate makes one frame more.
    CHECK(found(profiled(scratch, settings)) ==
          std::vector<std::string>{"duplicate@5", "framing@10", "bump@13"});
}

TEST_CASE("a part that moves is found at the frame from which it has moved, with its place", "[faults]") {
    const test::Scratch scratch;
    SimulateSettings settings = small("sundew", 24);
    settings.moves_at = 10;
    const SeriesProfile profile = profiled(scratch, settings);
    CHECK(found(profile) == std::vector<std::string>{"moved@10"});
    CHECK(profile.flags[9][0].reason.find("since the frame before") != std::string::npos);
}
