// SPDX-License-Identifier: GPL-3.0-or-later
#include <cmath>
#include <cstdio>

#include "cli/commands.h"
#include "core/optics/shoot_plan.h"
#include "core/work/json_text.h"

namespace moorhaze::cli {
namespace {

struct PlanArguments {
    ShootSetup setup;
    std::string file, save, shutter;
    bool overwrite = false;
    double field_mm = 0, overlap_percent = 30;
    bool refocus = false, no_flash = false, json = false;
};

/// "1/125" or "0.5".
double parse_shutter(const std::string& text) {
    double over = 0, under = 0;
    char end = 0;
    if (std::sscanf(text.c_str(), "%lf/%lf%c", &over, &under, &end) == 2 && under != 0) return over / under;
    if (std::sscanf(text.c_str(), "%lf%c", &over, &end) == 1) return over;
    throw BadParameter("--shutter " + text + ": write seconds, for example 1/125 or 0.5");
}

nlohmann::json as_json(const ShootPlan& plan) {
    nlohmann::json out;
    for (const SetupProblem& problem : plan.problems)
        out["problems"].push_back(
            {{"field", problem.field}, {"what", problem.what}, {"blocks", problem.blocks}});
    if (!plan.is_possible()) return out;
    auto frames = nlohmann::json::array();
    for (const PlannedFrame& frame : plan.steps.frames)
        frames.push_back(
            {{"focus_mm", frame.focus_mm}, {"near_mm", frame.near_mm}, {"far_mm", frame.far_mm}});
    out["frames"] = frames;
    out["first_step_mm"] = plan.steps.first_step_mm;
    out["last_step_mm"] = plan.steps.last_step_mm;
    out["overlap"] = plan.steps.overlap;
    out["uncovered_mm"] = plan.steps.uncovered_mm;
    out["scale_change"] = plan.steps.scale_change;
    out["common_width"] = plan.steps.common_width;
    out["room_mm"] = plan.room_mm;
    out["circle_of_confusion_mm"] = plan.circle_of_confusion_mm;
    out["depth_of_field_mm"] = plan.zone.total_mm();
    out["working_distance_mm"] = plan.working_mm;
    out["field_width_mm"] = plan.field_width_mm;
    out["effective_f_number"] = plan.effective_f_number;
    out["airy_px"] = plan.airy_px;
    out["f_number_of_finest"] = plan.f_number_of_finest;
    out["best_single_f_number"] = plan.single.f_number;
    out["seconds"] = plan.seconds;
    return out;
}

void print(const ShootSetup& setup, const ShootPlan& plan) {
    for (const SetupProblem& problem : plan.problems)
        std::printf("%s: %s\n", problem.field.c_str(), problem.what.c_str());
    std::printf("frames            %zu%s\n", plan.steps.frames.size(),
                setup.views > 1 ? (" a view, " + std::to_string(setup.views) + " views").c_str() : "");
    if (setup.stepping == Stepping::rail)
        std::printf("step              %.3f mm\n", plan.steps.first_step_mm);
    else
        std::printf("steps             %.3f to %.3f mm\n", plan.steps.first_step_mm, plan.steps.last_step_mm);
    std::printf("overlap           %.0f %%\n", 100 * plan.steps.overlap);
    std::printf("sharp zone        %.3f mm (%.3f in front, %.3f behind)\n", plan.zone.total_mm(),
                plan.zone.front_mm(), plan.zone.behind_mm());
    std::printf("working distance  %.0f mm from the entrance pupil\n", plan.working_mm);
    std::printf("field width       %.1f mm; leave %.1f mm at each side\n", plan.field_width_mm, plan.room_mm);
    std::printf("scale change      %.1f %%\n", 100 * plan.steps.scale_change);
    std::printf("time              %.0f s\n", plan.seconds);
    std::printf("diffraction       %s\n", diffraction_verdict(setup, plan).c_str());
    if (setup.subject_depth_mm > 0)
        std::printf("one frame alone   best f/%.0f, %.1f px of blur\n", plan.single.f_number,
                    plan.single.blur_mm / plan.pixel_pitch_mm);
    for (const TradeOff& stop : trade_offs(setup))
        std::printf("  f/%-4g %5d frames %7.0f s %6.1f px of blur\n", stop.f_number, stop.frames,
                    stop.seconds, stop.blur_px);
}

void run_plan(const CLI::App& command, PlanArguments& arguments) {
    if (!arguments.file.empty()) {
        // A saved setup, with whatever is given beside it.
        const PlanArguments given = arguments;
        arguments.setup = load_setup(arguments.file);
        auto take = [&](const char* option, auto ShootSetup::*member) {
            if (command.count(option)) arguments.setup.*member = given.setup.*member;
        };
        take("--depth", &ShootSetup::subject_depth_mm);
        take("--magnification", &ShootSetup::magnification);
        take("--focal-length", &ShootSetup::focal_length_mm);
        take("--f-number", &ShootSetup::f_number);
        take("--frames", &ShootSetup::frames);
        take("--views", &ShootSetup::views);
    }
    ShootSetup& setup = arguments.setup;
    if (command.count("--overlap")) setup.overlap = arguments.overlap_percent / 100;
    if (arguments.field_mm != 0) setup.magnification = setup.sensor_width_mm / arguments.field_mm;
    if (!arguments.shutter.empty()) setup.shutter_s = parse_shutter(arguments.shutter);
    if (arguments.refocus) setup.stepping = Stepping::refocus;
    if (arguments.no_flash) setup.flash = false;
    if (command.count("--circle")) setup.sharp_by = SharpBy::typed;
    const ShootPlan plan = plan_shoot(setup);
    if (arguments.json) std::printf("%s\n", json_text(as_json(plan), 2).c_str());
    if (!plan.is_possible()) {
        for (const SetupProblem& problem : plan.problems)
            if (problem.blocks) throw BadParameter("plan: " + problem.what);
    }
    if (!arguments.json) print(setup, plan);
    if (arguments.save.empty()) return;
    check_targets({arguments.save}, arguments.overwrite);
    save_setup(arguments.save, setup);
}

}  // namespace

CLI::App* add_plan(CLI::App& app, const Common&) {
    auto* command = app.add_subcommand("plan", "Depth of field, step, number of frames, diffraction");
    auto arguments = std::make_shared<PlanArguments>();
    ShootSetup& setup = arguments->setup;
    command->add_option("--setup", arguments->file, "Begin with a saved setup");
    command->add_option("--depth", setup.subject_depth_mm, "Depth that shall be sharp, mm")
        ->capture_default_str();
    command->add_option("--front", setup.front_margin_mm, "Margin in front, mm")->capture_default_str();
    command->add_option("--behind", setup.behind_margin_mm, "Margin behind, mm")->capture_default_str();
    command->add_option("--magnification", setup.magnification, "Size on the sensor by size of the thing")
        ->capture_default_str();
    command->add_option("--field", arguments->field_mm, "Or what fills the picture's width, mm");
    command->add_option("--focal-length", setup.focal_length_mm, "mm")->capture_default_str();
    command->add_option("--f-number", setup.f_number, "As marked on the lens")->capture_default_str();
    command->add_option("--pupil-factor", setup.pupil_factor, "Exit by entrance pupil")
        ->capture_default_str();
    command->add_option("--sensor-width", setup.sensor_width_mm, "mm")->capture_default_str();
    command->add_option("--sensor-height", setup.sensor_height_mm, "mm")->capture_default_str();
    command->add_option("--width-px", setup.picture_width_px, "Pixels across a frame")->capture_default_str();
    command->add_option("--blur-px", setup.circle_px, "Blur that counts as sharp, pixels")
        ->capture_default_str();
    command->add_option("--circle", setup.circle_mm, "Or the circle of confusion, mm");
    command->add_option("--overlap", arguments->overlap_percent, "Percent of a sharp zone")
        ->capture_default_str();
    command->add_option("--frames", setup.frames, "A number of frames of your own; 0: as the overlap needs")
        ->capture_default_str();
    command->add_flag("--refocus", arguments->refocus,
                      "The lens refocuses; otherwise a rail moves the camera");
    command->add_option("--shutter", arguments->shutter, "Seconds, for example 1/125");
    command->add_flag("--no-flash", arguments->no_flash, "Continuous light");
    command->add_option("--flash-pause", setup.flash_recharge_s, "s")->capture_default_str();
    command->add_option("--settle", setup.settle_s, "s")->capture_default_str();
    command->add_option("--views", setup.views, "Views of a turntable")->capture_default_str();
    command->add_option("--card", setup.card_frames, "Frames the card holds; 0: unknown")
        ->capture_default_str();
    command->add_flag("--json", arguments->json, "As JSON, with every frame's sharp zone");
    command->add_option("--save", arguments->save, "Save the setup as this file");
    command->add_flag("--overwrite", arguments->overwrite, "With --save: replace an existing file");
    command->callback([arguments, command] { run_plan(*command, *arguments); });
    return command;
}

}  // namespace moorhaze::cli
