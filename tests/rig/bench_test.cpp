// SPDX-License-Identifier: GPL-3.0-or-later
// Shoots on the simulated devices: what goes right, and each thing that goes wrong.
#include "rig/bench.h"

#include <catch2/catch.hpp>
#include <chrono>

#include "core/files/picture_file.h"
#include "core/focus/focus_profile.h"
#include "core/focus/frame_faults.h"
#include "core/optics/shoot_plan.h"
#include "rig/shoot.h"
#include "tests/support/scratch.h"

using namespace moorhaze;
using namespace moorhaze::rig;

namespace {

BenchSettings small_bench(std::vector<BenchFault> faults = {}) {
    BenchSettings settings;
    settings.scene = "glazed-knob";
    settings.width_px = 300;
    settings.height_px = 200;
    settings.rays = {3, 12, 0.03f};
    settings.noise = 0;
    settings.faults = std::move(faults);
    return settings;
}

ShootDevices devices_of(Bench& bench) {
    return {bench.clock(), bench.camera(), bench.flash(), bench.rail(), bench.turntable()};
}

/// `count` frames through the knob; long waits unless said otherwise.
ShootOrder order_for(Bench& bench, const std::filesystem::path& folder, int count) {
    ShootOrder order;
    const Shooting& usual = bench.shooting();
    for (int i = 0; i < count; ++i)
        order.stations_mm.push_back((usual.farthest_focus_mm - usual.nearest_focus_mm) *
                                    (0.1 + 0.5 * i / count));
    order.camera = bench.camera().settings();
    order.settle_s = 2;
    order.flash_pause_s = 4;
    order.folder = folder;
    return order;
}

FocusProfile profile_of(const std::filesystem::path& file) {
    return *focus_profile({file, read_picture_info(file), true}, 0, {});
}

std::vector<FocusProfile> shoot_all(Shoot& shoot) {
    std::vector<FocusProfile> profiles;
    while (!shoot.is_done()) profiles.push_back(profile_of(shoot.shoot_next({}).file));
    return profiles;
}

bool has(const std::vector<FrameFlag>& flags, const std::string& kind) {
    for (const FrameFlag& flag : flags)
        if (flag.kind == kind && !flag.reason.empty()) return true;
    return false;
}

}  // namespace

TEST_CASE("a shoot with enough time has no fault, and its files say how they were taken", "[bench]") {
    const test::Scratch scratch;
    Bench bench(small_bench(), {});
    Shoot shoot(devices_of(bench), order_for(bench, scratch / "run", 6));
    std::vector<FocusProfile> so_far;
    while (!shoot.is_done()) {
        so_far.push_back(profile_of(shoot.shoot_next({}).file));
        INFO(so_far.size());
        CHECK(check_arrival(so_far).empty());
    }
    CHECK(so_far.size() == 6);
    const ShootingData data = read_shooting_data(scratch / "run/frame-002.jpg");
    CHECK(data.f_number == Approx(10));
    CHECK(data.focal_length_mm == Approx(90));
    CHECK(data.taken > read_shooting_data(scratch / "run/frame-001.jpg").taken);
    // Six times at least the flash's pause passed on the devices' clock, in far less of ours.
    CHECK(bench.clock().now_s() > 5 * 4);
}

TEST_CASE("two hours of the devices' clock pass in seconds", "[bench]") {
    const test::Scratch scratch;
    Bench bench(small_bench(), {});
    ShootOrder order = order_for(bench, scratch / "run", 4);
    order.flash_pause_s = 2500;
    Shoot shoot(devices_of(bench), order);
    const auto begin = std::chrono::steady_clock::now();
    shoot_all(shoot);
    CHECK(bench.clock().now_s() > 7200);
    // Far below, whatever the machine: what takes time is drawing four small frames.
    CHECK(std::chrono::steady_clock::now() - begin < std::chrono::minutes(5));
    // Seen in the files too.
    CHECK(read_shooting_data(scratch / "run/frame-004.jpg").taken->substr(11, 2) == "11");
}

TEST_CASE("a flash that had no time leaves a dark frame, seen at once", "[bench]") {
    const test::Scratch scratch;
    Bench bench(small_bench(), {});
    ShootOrder order = order_for(bench, scratch / "run", 4);
    order.flash_pause_s = 0;
    order.settle_s = 0.3;
    Shoot shoot(devices_of(bench), order);
    const auto profiles = shoot_all(shoot);
    CHECK_FALSE(has(check_arrival({profiles[0]}), "misfire"));
    CHECK(has(check_arrival({profiles[0], profiles[1]}), "misfire"));
    // Shot again with the pause it needs, the place is filled.
    ShootOrder patient = order_for(bench, scratch / "again", 4);
    Shoot better(devices_of(bench), patient);
    for (const FocusProfile& profile : shoot_all(better))
        CHECK(profile.brightness > 0.5 * profiles[0].brightness);
}

TEST_CASE("a shutter faster than the sync speed leaves a dark band of the right height", "[bench]") {
    const test::Scratch scratch;
    Bench bench(small_bench(), {});
    ShootOrder order = order_for(bench, scratch / "run", 2);
    order.camera.shutter_s = 1.0 / 250;  // syncs at 1/200: a fifth stays dark (common practice)
    Shoot shoot(devices_of(bench), order);
    const auto profiles = shoot_all(shoot);
    const auto flags = check_arrival({profiles[0]});  // told from one frame, for all have it
    REQUIRE(has(flags, "band"));
    CHECK(flags[0].value == Approx(0.2).margin(0.04));
    CHECK(flags[0].reason.find("lower") != std::string::npos);
}

TEST_CASE("a rail that had no time to settle blurs, without flash most", "[bench]") {
    const test::Scratch scratch;
    Bench bench(small_bench(), {});
    bench.flash().switch_on(false);
    auto sharpness = [&](const char* name, double settle) {
        ShootOrder order = order_for(bench, scratch / name, 1);
        order.flash = false;
        order.camera.shutter_s = 1.0 / 30;
        order.settle_s = settle;
        bench.rail().move_to(0, {});
        Shoot shoot(devices_of(bench), order);
        return cv::sum(profile_of(shoot.shoot_next({}).file).sharpness)[0];
    };
    const double at_rest = sharpness("rest", 3);
    CHECK(sharpness("hasty", 0) < 0.75 * at_rest);
    CHECK(sharpness("rest-again", 3) == Approx(at_rest).epsilon(0.1));
}

TEST_CASE("a bump is flagged, and the view is shifted from then on", "[bench]") {
    const test::Scratch scratch;
    Bench bench(small_bench({{BenchFault::Kind::bump, 4}}), {});
    Shoot shoot(devices_of(bench), order_for(bench, scratch / "run", 7));
    const auto profiles = shoot_all(shoot);
    const SeriesProfile all = profile_series(profiles);
    for (int i = 0; i < 7; ++i) {
        INFO(i);
        CHECK(has(all.flags[std::size_t(i)], "bump") == (i == 3));
    }
    CHECK(bench.true_camera().place.x > 0.1f);
}

TEST_CASE("a lost link keeps all frames, and the shoot goes on at the right place", "[bench]") {
    const test::Scratch scratch;
    Bench bench(small_bench({{BenchFault::Kind::link_lost, 3}}), {});
    Shoot shoot(devices_of(bench), order_for(bench, scratch / "run", 4));
    shoot.shoot_next({});
    shoot.shoot_next({});
    CHECK_THROWS_AS(shoot.shoot_next({}), LinkLost);
    CHECK_THROWS_AS(shoot.shoot_next({}), LinkLost);
    CHECK_THROWS_AS(bench.camera().live_view({48, 32}, {}), LinkLost);
    CHECK(shoot.done() == 2);
    CHECK_FALSE(std::filesystem::exists(scratch / "run/frame-003.jpg"));
    bench.camera().reconnect();
    CHECK(shoot.shoot_next({}).station == 2);
    CHECK(shoot.shoot_next({}).station == 3);
    CHECK(shoot.is_done());
}

TEST_CASE("a full card is reported before the shoot where it is known, and keeps all frames where it is not",
          "[bench]") {
    const test::Scratch scratch;
    Bench bench(small_bench({{BenchFault::Kind::card_full, 3}}), {});
    Shoot shoot(devices_of(bench), order_for(bench, scratch / "run", 4));
    shoot.shoot_next({});
    shoot.shoot_next({});
    CHECK_THROWS_AS(shoot.shoot_next({}), CardFull);
    CHECK(std::filesystem::exists(scratch / "run/frame-002.jpg"));
    CHECK_THROWS_WITH(Shoot(devices_of(bench), order_for(bench, scratch / "next", 4)),
                      Catch::Contains("room for 0"));
}

TEST_CASE("orders that cannot be are refused with the reason", "[bench]") {
    const test::Scratch scratch;
    Bench bench(small_bench(), {});
    ShootOrder order = order_for(bench, scratch / "run", 3);
    order.stations_mm.back() = 5000;
    CHECK_THROWS_WITH(Shoot(devices_of(bench), order), Catch::Contains("way ends before frame 3"));
    order = order_for(bench, scratch / "run", 3);
    order.camera.f_number = 0;
    CHECK_THROWS_AS(Shoot(devices_of(bench), order), BadParameter);
    test::write_all(scratch / "run/other.jpg", "x");
    CHECK_THROWS_WITH(Shoot(devices_of(bench), order_for(bench, scratch / "run", 3)),
                      Catch::Contains("holds files"));
    CHECK_THROWS_AS(bench.rail().move_to(900, {}), BadParameter);
    CHECK_THROWS_AS(bench.camera().focus_at(50), BadParameter);
}

TEST_CASE("the rail's play does not shift a frame that is shot again", "[bench]") {
    const test::Scratch scratch;
    Bench bench(small_bench(), {});
    Shoot shoot(devices_of(bench), order_for(bench, scratch / "run", 3));
    shoot.shoot_next({});
    const auto second = shoot.shoot_next({});
    const float place = bench.true_camera().place.z;
    shoot.shoot_next({});
    shoot.shoot_again(0, second.station, {});
    CHECK(bench.true_camera().place.z == Approx(place).margin(1e-4));
    // Without the run-up it would hang back.
    bench.rail().move_to(20, {});
    bench.rail().move_to(bench.rail().position_mm() - 5, {});
    CHECK(bench.true_camera().place.z == Approx(15.03).margin(1e-3));
}

TEST_CASE("a turntable set has a folder for each view, and the views differ", "[bench]") {
    const test::Scratch scratch;
    Bench bench(small_bench(), {});
    ShootOrder order = order_for(bench, scratch / "set", 2);
    order.views = 3;
    Shoot shoot(devices_of(bench), order);
    CHECK(shoot.total() == 6);
    shoot_all(shoot);
    CHECK(bench.turntable().angle_deg() == Approx(240));
    const auto one = read_picture(scratch / "set/view-01/frame-001.jpg").pixels;
    const auto three = read_picture(scratch / "set/view-03/frame-001.jpg").pixels;
    CHECK(cv::norm(one, three, cv::NORM_L1) / double(one.total()) > 5);
}

TEST_CASE("stopping early leaves a whole, shorter series", "[bench]") {
    const test::Scratch scratch;
    Bench bench(small_bench(), {});
    Shoot shoot(devices_of(bench), order_for(bench, scratch / "run", 5));
    shoot.shoot_next({});
    shoot.shoot_next({});
    shoot.stop_early();
    CHECK(shoot.is_done());
    CHECK(shoot.total() == 2);
}

TEST_CASE("the camera's own bracket refocuses step by step towards far", "[bench]") {
    const test::Scratch scratch;
    std::filesystem::create_directories(scratch / "own");
    Bench bench(small_bench(), {});
    bench.flash().switch_on(false);
    std::vector<std::filesystem::path> arrived;
    const double before = bench.camera().focus_mm();
    bench.camera().bracket({.step_width = 4, .frames = 3, .interval_s = 2}, scratch / "own",
                           [&](const std::filesystem::path& file) { arrived.push_back(file); }, {});
    CHECK(arrived.size() == 3);
    double last = 0;
    for (const auto& file : arrived) {
        const double focus = *read_shooting_data(file).focus_distance_m * 1000;
        CHECK(focus > last);
        last = focus;
    }
    CHECK(last > before);
    CHECK_THROWS_AS(bench.camera().bracket({.step_width = 11}, scratch / "own", [](const auto&) {}, {}),
                    BadParameter);
}

TEST_CASE("faults drawn by seed are the same for the same seed and differ for others", "[bench]") {
    const std::vector<BenchFault::Kind> kinds{BenchFault::Kind::misfire, BenchFault::Kind::bump};
    CHECK(faults_by_seed(kinds, 200, 1) == faults_by_seed(kinds, 200, 1));
    CHECK(faults_by_seed(kinds, 200, 1) != faults_by_seed(kinds, 200, 2));
    for (const BenchFault& fault : faults_by_seed(kinds, 5, 9))
        CHECK((fault.exposure >= 1 && fault.exposure <= 5));
}

TEST_CASE("live view follows the rail", "[bench]") {
    Bench bench(small_bench(), {});
    const cv::Mat3b here = bench.camera().live_view({96, 64}, {});
    CHECK(here.size() == cv::Size(96, 64));
    bench.rail().move_to(30, {});
    CHECK(cv::norm(here, bench.camera().live_view({96, 64}, {}), cv::NORM_L1) / double(here.total()) > 3);
}
