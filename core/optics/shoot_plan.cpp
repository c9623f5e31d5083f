// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/optics/shoot_plan.h"

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <fstream>
#include <nlohmann/json.hpp>

#include "core/files/safe_write.h"
#include "core/work/errors.h"
#include "core/work/json_text.h"

namespace moorhaze {

NLOHMANN_JSON_SERIALIZE_ENUM(SharpBy, {{SharpBy::pixels, "pixels"},
                                       {SharpBy::sensor, "sensor"},
                                       {SharpBy::typed, "typed"}})
NLOHMANN_JSON_SERIALIZE_ENUM(Stepping, {{Stepping::rail, "rail"}, {Stepping::refocus, "refocus"}})

namespace {

constexpr double kStops[] = {2.8, 4, 5.6, 8, 11, 16, 22};
constexpr double kWrite_s = 0.5;  ///< a camera's own pause between pictures; a stand-in's value

/// One list of members for writing, reading and checking.
template <class Setup, class Visit>
void each_member(Setup& setup, Visit visit) {
    visit("sensor_width_mm", setup.sensor_width_mm);
    visit("sensor_height_mm", setup.sensor_height_mm);
    visit("picture_width_px", setup.picture_width_px);
    visit("focal_length_mm", setup.focal_length_mm);
    visit("pupil_factor", setup.pupil_factor);
    visit("f_number", setup.f_number);
    visit("magnification", setup.magnification);
    visit("sharp_by", setup.sharp_by);
    visit("circle_px", setup.circle_px);
    visit("circle_mm", setup.circle_mm);
    visit("subject_depth_mm", setup.subject_depth_mm);
    visit("front_margin_mm", setup.front_margin_mm);
    visit("behind_margin_mm", setup.behind_margin_mm);
    visit("stepping", setup.stepping);
    visit("overlap", setup.overlap);
    visit("frames", setup.frames);
    visit("shutter_s", setup.shutter_s);
    visit("flash", setup.flash);
    visit("flash_recharge_s", setup.flash_recharge_s);
    visit("flash_sync_s", setup.flash_sync_s);
    visit("settle_s", setup.settle_s);
    visit("views", setup.views);
    visit("card_frames", setup.card_frames);
}

template <class... Values>
std::string words(const char* format, Values... values) {
    char text[300];
    std::snprintf(text, sizeof text, format, values...);
    return text;
}

double circle_of(const ShootSetup& setup) {
    if (setup.sharp_by == SharpBy::typed) return setup.circle_mm;
    if (setup.sharp_by == SharpBy::sensor)
        return std::hypot(setup.sensor_width_mm, setup.sensor_height_mm) / 1500;
    return setup.circle_px * setup.sensor_width_mm / setup.picture_width_px;
}

LensSetup lens_of(const ShootSetup& setup) {
    return {setup.focal_length_mm, setup.f_number, setup.magnification, setup.pupil_factor};
}

StepSettings steps_of(const ShootSetup& setup) {
    return {.lens = lens_of(setup),
            .circle_of_confusion_mm = circle_of(setup),
            .subject_depth_mm = setup.subject_depth_mm,
            .front_margin_mm = setup.front_margin_mm,
            .behind_margin_mm = setup.behind_margin_mm,
            .overlap = setup.overlap,
            .stepping = setup.stepping};
}

StepPlan steps_for(const ShootSetup& setup) {
    return setup.frames > 0 ? steps_for_count(steps_of(setup), setup.frames)
                            : steps_for_overlap(steps_of(setup));
}

/// Values outside what a device or a subject can be.
void check_values(const ShootSetup& setup, std::vector<SetupProblem>& problems) {
    auto within = [&](const char* field, double value, double least, double most, const std::string& what) {
        if (!(value >= least && value <= most)) problems.push_back({field, what, true});
    };
    within("sensor_width_mm", setup.sensor_width_mm, 1, 200, "A sensor is 1 to 200 mm wide.");
    within("sensor_height_mm", setup.sensor_height_mm, 1, 200, "A sensor is 1 to 200 mm high.");
    within("picture_width_px", setup.picture_width_px, 100, 60000, "A picture is 100 to 60000 pixels wide.");
    within("focal_length_mm", setup.focal_length_mm, 1, 2000, "A focal length lies between 1 and 2000 mm.");
    within("pupil_factor", setup.pupil_factor, 0.1, 10,
           "The pupil factor lies between 0.1 and 10; 1 if unknown.");
    within(
        "f_number", setup.f_number, 0.7, 128,
        words("There is no f/%g. Type an f-number from 0.7 to 128, as marked on the lens.", setup.f_number));
    within("magnification", setup.magnification, 0.001, 50,
           "The magnification lies between 0.001 and 50; 1 is life size.");
    within("circle_px", setup.circle_px, 0.5, 50, "A point counts as sharp up to 0.5 to 50 pixels.");
    within("circle_mm", setup.circle_mm, 0.0005, 1, "The circle of confusion lies between 0.0005 and 1 mm.");
    within("subject_depth_mm", setup.subject_depth_mm, 0, 100000,
           setup.subject_depth_mm < 0 ? "The far point lies in front of the near point: swap them."
                                      : "The subject is at most 100 m deep.");
    within("front_margin_mm", setup.front_margin_mm, 0, 1000, "A margin lies between 0 and 1000 mm.");
    within("behind_margin_mm", setup.behind_margin_mm, 0, 1000, "A margin lies between 0 and 1000 mm.");
    within("overlap", setup.overlap, 0, 0.95,
           "The overlap lies between 0 and 95 %; 100 % would be a step of nothing.");
    within("frames", setup.frames, 0, 10000, "A series has 1 to 10000 frames.");
    within("shutter_s", setup.shutter_s, 1e-5, 3600, "The exposure lies between 1/100000 s and an hour.");
    within("flash_recharge_s", setup.flash_recharge_s, 0, 120, "The pause lies between 0 and 120 s.");
    within("flash_sync_s", setup.flash_sync_s, 1e-4, 1, "The sync speed lies between 1/10000 s and 1 s.");
    within("settle_s", setup.settle_s, 0, 60, "The pause lies between 0 and 60 s.");
    within("views", setup.views, 1, 720, "A turntable set has 1 to 720 views.");
    within("card_frames", setup.card_frames, 0, 1e7, "Type how many frames the card holds, 0 if unknown.");
}

double shooting_seconds(const ShootSetup& setup, int frames) {
    const double between = std::max(setup.settle_s, setup.flash ? setup.flash_recharge_s : 0.0);
    return setup.views * frames * (between + setup.shutter_s + kWrite_s);
}

}  // namespace

bool ShootPlan::is_possible() const {
    return std::none_of(problems.begin(), problems.end(), [](const SetupProblem& p) { return p.blocks; });
}

ShootPlan plan_shoot(const ShootSetup& setup) {
    ShootPlan plan;
    check_values(setup, plan.problems);
    if (!plan.is_possible()) return plan;
    const LensSetup lens = lens_of(setup);
    plan.circle_of_confusion_mm = circle_of(setup);
    plan.pixel_pitch_mm = setup.sensor_width_mm / setup.picture_width_px;
    plan.field_width_mm = setup.sensor_width_mm / setup.magnification;
    try {
        plan.zone = sharp_zone(lens, plan.circle_of_confusion_mm);
        plan.working_mm = focus_distance_mm(lens);
        if (setup.front_margin_mm >= 0.9 * plan.working_mm) {
            plan.problems.push_back({"front_margin_mm", "The margin in front reaches into the lens.", true});
            return plan;
        }
        plan.steps = steps_for(setup);
        if (setup.subject_depth_mm > 0) plan.single = best_single_shot(lens, setup.subject_depth_mm);
    } catch (const BadParameter& error) {
        plan.problems.push_back({setup.frames > 0 ? "frames" : "overlap", error.what(), true});
        return plan;
    }
    const int count = int(plan.steps.frames.size());
    plan.effective_f_number = effective_f_number(lens);
    plan.airy_px = airy_disc_mm(plan.effective_f_number) / plan.pixel_pitch_mm;
    plan.finest_contrast = diffraction_contrast(0.5 / plan.pixel_pitch_mm, plan.effective_f_number);
    plan.f_number_of_finest = f_number_of_airy_disc(lens, kAiryLimit_px * plan.pixel_pitch_mm);
    plan.f_number_of_circle = f_number_of_airy_disc(lens, plan.circle_of_confusion_mm);
    plan.seconds = shooting_seconds(setup, count);
    plan.room_mm = (1 - plan.steps.common_width) / 2 * plan.field_width_mm;

    auto warn = [&](const char* field, std::string what) {
        plan.problems.push_back({field, std::move(what), false});
    };
    if (setup.frames > 0 && plan.steps.uncovered_mm > 1e-6)
        warn("frames", words("%d frames leave %.2g mm of depth between their sharp zones: bands of blur.",
                             count, plan.steps.uncovered_mm));
    if (setup.flash && setup.shutter_s < 0.999 * setup.flash_sync_s)
        warn("shutter_s",
             words("Faster than the flash's sync speed of 1/%.0f s: about %.0f %% of the picture stays "
                   "dark at one side.",
                   1 / setup.flash_sync_s, 100 * (1 - setup.shutter_s / setup.flash_sync_s)));
    if (setup.flash && setup.flash_recharge_s < 1)
        warn("flash_recharge_s", "Most flashes need 3 to 5 s: a frame shot before stays dark.");
    if (setup.card_frames > 0 && setup.views * count > setup.card_frames)
        plan.problems.push_back(
            {"card_frames",
             words("%d frames are needed and the card holds %d. Use a larger card, fewer views "
                   "or less overlap.",
                   setup.views * count, setup.card_frames),
             true});
    return plan;
}

std::vector<TradeOff> trade_offs(const ShootSetup& setup) {
    std::vector<TradeOff> list;
    for (const double stop : kStops) {
        ShootSetup other = setup;
        other.f_number = stop;
        other.frames = 0;
        other.card_frames = 0;
        const ShootPlan plan = plan_shoot(other);
        if (!plan.is_possible()) continue;
        list.push_back({stop, int(plan.steps.frames.size()), plan.seconds,
                        std::hypot(plan.circle_of_confusion_mm / plan.pixel_pitch_mm, plan.airy_px)});
    }
    return list;
}

std::string diffraction_verdict(const ShootSetup& setup, const ShootPlan& plan) {
    if (plan.airy_px <= kAiryLimit_px)
        return words("Airy disc %.1f px: no detail lost. That begins at f/%.1f.", plan.airy_px,
                     plan.f_number_of_finest);
    if (setup.f_number <= plan.f_number_of_circle)
        return words(
            "Airy disc %.1f px: the finest detail softens (from f/%.1f on), unseen at the blur you accept.",
            plan.airy_px, plan.f_number_of_finest);
    return words(
        "Airy disc %.1f px, wider than the blur you accept: everything softens. Open to f/%.1f and shoot "
        "more frames.",
        plan.airy_px, std::max(plan.f_number_of_finest, plan.f_number_of_circle));
}

std::string json_of(const ShootSetup& setup) {
    nlohmann::ordered_json json{{"moorhaze_setup", 1}};
    each_member(setup, [&](const char* name, const auto& value) { json[name] = value; });
    return json_text(json, 2);
}

ShootSetup setup_of_json(const std::string& text) {
    ShootSetup setup;
    try {
        const auto json = parsed_json(text);
        if (json.at("moorhaze_setup") != 1) throw FileError("is of a newer version. Use the newer Moorhaze.");
        each_member(setup, [&](const char* name, auto& value) {
            if (json.contains(name)) json.at(name).get_to(value);
        });
    } catch (const nlohmann::json::exception& error) {
        throw FileError("is no setup of Moorhaze (" + std::string(error.what()) + "). Choose another file.");
    }
    return setup;
}

void save_setup(const std::filesystem::path& file, const ShootSetup& setup) {
    write_text_file(file, json_of(setup) + "\n", true);
}

ShootSetup load_setup(const std::filesystem::path& file) {
    std::ifstream stream(file);
    if (!stream) throw FileError(file.string() + ": cannot be read. Choose a setup that was saved here.");
    try {
        return setup_of_json({std::istreambuf_iterator<char>(stream), {}});
    } catch (const FileError& error) {
        throw FileError(file.string() + ": " + error.what());
    }
}

}  // namespace moorhaze
