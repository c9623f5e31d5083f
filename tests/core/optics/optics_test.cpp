// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>
#include <cmath>

#include "core/optics/shoot_plan.h"
#include "core/work/errors.h"
#include "tests/support/scratch.h"

using namespace moorhaze;

namespace {

StepSettings rail_steps() {
    return {.lens = {.focal_length_mm = 100, .f_number = 8, .magnification = 0.5},
            .circle_of_confusion_mm = 0.012,
            .subject_depth_mm = 20,
            .front_margin_mm = 1,
            .behind_margin_mm = 2,
            .overlap = 0.25};
}

bool has_problem(const ShootPlan& plan, const std::string& field, bool blocks) {
    for (const SetupProblem& problem : plan.problems)
        if (problem.field == field && problem.blocks == blocks && problem.what.size() > 20) return true;
    return false;
}

}  // namespace

TEST_CASE("a point at either end of the sharp zone is drawn exactly as wide as the circle of confusion",
          "[optics]") {
    for (const double magnification : {0.01, 0.1, 0.5, 1.0, 2.0, 5.0})
        for (const double pupil : {0.6, 1.0, 1.4}) {
            const LensSetup lens{60, 5.6, magnification, pupil};
            const SharpZone zone = sharp_zone(lens, 0.015);
            INFO(magnification << " " << pupil);
            CHECK(blur_disc_mm(lens, zone.near_mm) == Approx(0.015));
            CHECK(blur_disc_mm(lens, zone.far_mm) == Approx(0.015));
            CHECK(blur_disc_mm(lens, zone.focus_mm) == Approx(0).margin(1e-12));
        }
}

TEST_CASE("beyond the hyperfocal distance the zone has no far end", "[optics]") {
    const double hyperfocal = hyperfocal_mm({50, 8, 1, 1}, 0.03);
    LensSetup lens{50, 8, magnification_at(50, hyperfocal * 1.01), 1};
    CHECK(std::isinf(sharp_zone(lens, 0.03).far_mm));
    lens.magnification = magnification_at(50, hyperfocal * 0.99);
    CHECK(std::isfinite(sharp_zone(lens, 0.03).far_mm));
}

TEST_CASE("values that no lens has are refused", "[optics]") {
    CHECK_THROWS_AS(sharp_zone({100, 0, 0.5, 1}, 0.01), BadParameter);
    CHECK_THROWS_AS(sharp_zone({100, 8, -1, 1}, 0.01), BadParameter);
    CHECK_THROWS_AS(sharp_zone({100, 8, 0.5, 1}, 0), BadParameter);
    CHECK_THROWS_AS(magnification_at(100, 90), BadParameter);
    CHECK_THROWS_AS(focus_distance_mm({std::nan(""), 8, 0.5, 1}), BadParameter);
}

TEST_CASE("the planned zones cover subject and margins with at least the overlap asked for", "[optics]") {
    for (const Stepping stepping : {Stepping::rail, Stepping::refocus})
        for (const double overlap : {0.0, 0.2, 0.5, 0.9}) {
            StepSettings settings = rail_steps();
            settings.stepping = stepping;
            settings.overlap = overlap;
            const StepPlan plan = steps_for_overlap(settings);
            INFO(int(stepping) << " " << overlap << " " << plan.frames.size());
            CHECK(plan.frames.front().near_mm == Approx(-1).margin(1e-6));
            CHECK(plan.frames.back().far_mm >= 22 - 1e-6);
            CHECK(plan.uncovered_mm == Approx(0).margin(1e-6));
            CHECK(plan.overlap >= overlap - 1e-9);
            for (std::size_t i = 1; i < plan.frames.size(); ++i) {
                const auto &one = plan.frames[i - 1], &next = plan.frames[i];
                const double shared = (one.far_mm - next.near_mm) /
                                      (0.5 * (one.far_mm - one.near_mm + next.far_mm - next.near_mm));
                CHECK(shared == Approx(plan.overlap).margin(0.01));
            }
            // One frame fewer is not enough.
            if (plan.frames.size() > 2)
                CHECK(steps_for_count(settings, int(plan.frames.size()) - 1).overlap < overlap);
        }
}

TEST_CASE("frames asked back give the overlap they came from", "[optics]") {
    for (const Stepping stepping : {Stepping::rail, Stepping::refocus}) {
        StepSettings settings = rail_steps();
        settings.stepping = stepping;
        const StepPlan there = steps_for_overlap(settings);
        const StepPlan back = steps_for_count(settings, int(there.frames.size()));
        CHECK(back.overlap == Approx(there.overlap).margin(1e-6));
        CHECK(back.frames.back().far_mm == Approx(22).margin(1e-6));
    }
}

TEST_CASE("too few frames leave gaps, and the plan says how much", "[optics]") {
    const StepPlan plan = steps_for_count(rail_steps(), 5);
    CHECK(plan.overlap < 0);
    double gaps = 0;
    for (std::size_t i = 1; i < 5; ++i) gaps += plan.frames[i].near_mm - plan.frames[i - 1].far_mm;
    CHECK(plan.uncovered_mm == Approx(gaps));
    CHECK(steps_for_count(rail_steps(), 1).uncovered_mm > 20);
}

TEST_CASE("a refocusing lens steps less where it is close", "[optics]") {
    StepSettings settings = rail_steps();
    settings.stepping = Stepping::refocus;
    settings.subject_depth_mm = 80;
    const StepPlan plan = steps_for_overlap(settings);
    CHECK(plan.last_step_mm > 1.2 * plan.first_step_mm);
    CHECK(plan.scale_change > 0.1);
    CHECK(plan.common_width < 1);
}

TEST_CASE("a rail steps in whole steps of its own", "[optics]") {
    StepSettings settings = rail_steps();
    settings.smallest_step_mm = 0.25;
    const StepPlan plan = steps_for_overlap(settings);
    CHECK(plan.first_step_mm / 0.25 == Approx(std::round(plan.first_step_mm / 0.25)));
    CHECK(plan.overlap >= settings.overlap);
    settings.smallest_step_mm = 50;
    CHECK_THROWS_AS(steps_for_overlap(settings), BadParameter);
}

TEST_CASE("impossible setups are explained at their field and never planned", "[optics]") {
    auto with = [](auto change) {
        ShootSetup setup;
        change(setup);
        return plan_shoot(setup);
    };
    CHECK(with([](ShootSetup&) {}).problems.empty());
    CHECK(has_problem(with([](ShootSetup& s) { s.f_number = 0; }), "f_number", true));
    CHECK(has_problem(with([](ShootSetup& s) { s.subject_depth_mm = -3; }), "subject_depth_mm", true));
    CHECK(has_problem(with([](ShootSetup& s) { s.overlap = 1; }), "overlap", true));
    CHECK(has_problem(with([](ShootSetup& s) { s.card_frames = 3; }), "card_frames", true));
    const auto carded = [&](int card) {
        return with([card](ShootSetup& s) { s.frames = 10, s.views = 4, s.card_frames = card; });
    };
    CHECK_FALSE(has_problem(carded(40), "card_frames", true));
    REQUIRE(has_problem(carded(39), "card_frames", true));
    CHECK(carded(39).problems.back().what.find("40 frames are needed and the card holds 39") !=
          std::string::npos);
    CHECK(has_problem(with([](ShootSetup& s) { s.shutter_s = 1.0 / 250; }), "shutter_s", false));
    CHECK(has_problem(with([](ShootSetup& s) { s.frames = 2; }), "frames", false));
    CHECK(has_problem(with([](ShootSetup& s) { s.magnification = std::nan(""); }), "magnification", true));
    CHECK(has_problem(with([](ShootSetup& s) { s.front_margin_mm = 500; }), "front_margin_mm", true));
    // Over 10000 frames: a wide open lens at five times life size through a deep subject.
    CHECK(has_problem(with([](ShootSetup& s) {
                          s.magnification = 5;
                          s.f_number = 1.4;
                          s.subject_depth_mm = 100;
                      }),
                      "overlap", true));
}

TEST_CASE("a frame takes the longer of settling and flash pause, its exposure, and half a second of writing",
          "[optics]") {
    ShootSetup setup;
    setup.frames = 20;
    setup.views = 3;
    setup.shutter_s = 0.25;
    setup.flash_sync_s = 0.5;
    setup.settle_s = 2;
    setup.flash_recharge_s = 5;
    REQUIRE(plan_shoot(setup).is_possible());
    CHECK(plan_shoot(setup).seconds == Approx(60 * (5 + 0.25 + 0.5)));
    setup.settle_s = 7;
    CHECK(plan_shoot(setup).seconds == Approx(60 * (7 + 0.25 + 0.5)));
    setup.flash = false;
    setup.settle_s = 2;
    CHECK(plan_shoot(setup).seconds == Approx(60 * (2 + 0.25 + 0.5)));
}

TEST_CASE("a wider aperture needs more frames and loses less to diffraction", "[optics]") {
    const auto list = trade_offs(ShootSetup{});
    REQUIRE(list.size() == 7);
    for (std::size_t i = 1; i < list.size(); ++i) {
        CHECK(list[i].frames < list[i - 1].frames);
        CHECK(list[i].blur_px > list[i - 1].blur_px);
        CHECK(list[i].seconds < list[i - 1].seconds);
    }
}

TEST_CASE("a setup is read back as it was saved, and a foreign file is refused by name", "[optics]") {
    const test::Scratch scratch;
    ShootSetup setup;
    setup.f_number = 5.6;
    setup.stepping = Stepping::refocus;
    setup.sharp_by = SharpBy::typed;
    setup.views = 12;
    setup.flash = false;
    save_setup(scratch / "knob.json", setup);
    CHECK(load_setup(scratch / "knob.json") == setup);
    for (const char* text :
         {"", "[1,2]", "{\"moorhaze_setup\": 1, \"f_number\": \"wide\"}", "{\"moorhaze_setup\": 7}"}) {
        test::write_all(scratch / "other.json", text);
        CHECK_THROWS_WITH(load_setup(scratch / "other.json"), Catch::Contains("other.json"));
    }
    CHECK_THROWS_AS(load_setup(scratch / "missing.json"), FileError);
}
