// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstdio>

#include "cli/commands.h"
#include "rig/scenes.h"
#include "rig/simulate.h"

namespace moorhaze::cli {
namespace {

struct SimulateArguments {
    rig::SimulateSettings settings;
    std::string folder, size = "1500x1000";
    std::vector<std::string> faults;
    int views = 1;
    bool list = false;
};

/// "bump@5" and the like.
rig::SimulatedFault parse_fault(const std::string& text) {
    const auto at = text.find('@');
    int frame = 0;
    char end = 0;
    if (at == std::string::npos || std::sscanf(text.c_str() + at + 1, "%d%c", &frame, &end) != 1)
        throw BadParameter("--fault " + text + ": write KIND@FRAME, for example bump@5");
    return {text.substr(0, at), frame};
}

void run_simulate(SimulateArguments& arguments, const Common& common) {
    if (arguments.list) {
        for (const rig::SceneEntry& entry : rig::scene_list())
            std::printf("%-16s %s\n", entry.name.c_str(), entry.description.c_str());
        return;
    }
    if (arguments.settings.scene.empty()) throw BadParameter("simulate: name a scene; --list names them");
    if (arguments.folder.empty()) throw BadParameter("simulate: name the folder to write to with --out");
    char end = 0;
    if (std::sscanf(arguments.size.c_str(), "%dx%d%c", &arguments.settings.width_px,
                    &arguments.settings.height_px, &end) != 2)
        throw BadParameter("--size " + arguments.size + ": write WIDTHxHEIGHT, for example 1500x1000");
    for (const std::string& fault : arguments.faults) arguments.settings.faults.push_back(parse_fault(fault));
    const ProgressLine line("simulating", common);
    if (arguments.views > 1)
        rig::simulate_views(arguments.settings, arguments.views, arguments.folder, line.job());
    else
        rig::simulate(arguments.settings, arguments.folder, line.job());
}

}  // namespace

CLI::App* add_simulate(CLI::App& app, const Common& common) {
    auto* command = app.add_subcommand("simulate", "Shoots a series of a simulated scene, with its truth");
    auto arguments = std::make_shared<SimulateArguments>();
    arguments->settings.scene.clear();
    rig::SimulateSettings& settings = arguments->settings;
    command->add_option("SCENE", settings.scene, "Name of a scene");
    command->add_flag("--list", arguments->list, "Name the scenes");
    command->add_option("--out", arguments->folder, "Folder to write to");
    command->add_option("--frames", settings.frames, "Number of frames")->check(CLI::PositiveNumber);
    command->add_option("--size", arguments->size, "Size of a frame, WxH")->capture_default_str();
    command->add_option("--seed", settings.seed, "Seed of shake, flicker and noise")->capture_default_str();
    command->add_option("--reference", settings.reference, "Number of the frame whose geometry the truth has")
        ->check(CLI::PositiveNumber);
    command->add_option("--f-number", settings.f_number, "Aperture; the scene's own unless given")
        ->check(CLI::PositiveNumber);
    command->add_option("--noise", settings.noise, "Sensor noise: 0 none, 1 strong")
        ->capture_default_str()
        ->check(CLI::NonNegativeNumber);
    command->add_option("--dust", settings.dust, "Specks of dust on the sensor, 4 to 15 px in radius")
        ->capture_default_str()
        ->check(CLI::NonNegativeNumber);
    command->add_flag("--still", settings.still, "No hand shake and no flicker");
    command->add_flag("--tiff", settings.tiff, "16-bit TIFF frames instead of JPEG");
    command->add_option(
        "--fault", arguments->faults,
        "KIND@FRAME: misfire, band, bump, exposure, duplicate, framing or missing; may be repeated");
    command
        ->add_option("--moves-at", settings.moves_at,
                     "Frame at which the moving part has moved, in scenes that have one")
        ->check(CLI::PositiveNumber);
    command->add_option("--views", arguments->views, "Views of a turntable, each in a folder of its own")
        ->check(CLI::PositiveNumber);
    command->add_option("--fewest-rays", settings.rays.fewest, "Rays of every pixel")
        ->capture_default_str()
        ->check(CLI::PositiveNumber);
    command->add_option("--most-rays", settings.rays.most, "Rays where they disagree")
        ->capture_default_str()
        ->check(CLI::PositiveNumber);
    command->callback([arguments, &common] { run_simulate(*arguments, common); });
    return command;
}

}  // namespace moorhaze::cli
