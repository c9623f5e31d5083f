// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstdio>
#include <iostream>

#include "cli/commands.h"
#include "core/sets/spin_page.h"

namespace moorhaze::cli {
namespace {

struct SpinArguments {
    std::string folder, out;
    SpinSettings settings;
};

void run_spin(const SpinArguments& arguments, const Common& common) {
    const auto pictures = numbered_pictures(arguments.folder);
    SpinPage page;
    {
        const ProgressLine line("writing the spin page", common);
        page = write_spin_page(pictures, arguments.out, arguments.settings, line.job());
    }
    for (const std::string& remark : page.remarks) std::cerr << "moorhaze-cli: " << remark << "\n";
    if (common.quiet) return;
    std::printf("%d views, %d files, %.1f MB: %s\n", page.views, page.files, double(page.bytes) / 1e6,
                (std::filesystem::path(arguments.out) / "index.html").string().c_str());
    std::printf("to embed it: %s\n", page.embed.c_str());
}

}  // namespace

CLI::App* add_spin(CLI::App& app, const Common& common) {
    auto* command = app.add_subcommand(
        "spin", "Makes a page that turns an object, from the numbered pictures of a turntable");
    auto arguments = std::make_shared<SpinArguments>();
    SpinSettings& settings = arguments->settings;
    command->add_option("DIR", arguments->folder, "Folder with name-01.jpg, name-02.jpg, ...")->required();
    command->add_option("-o,--output", arguments->out, "Folder to write; it opens from the disc")->required();
    command->add_flag("--deep-zoom", settings.deep_zoom, "Tiles of the full size, to come close");
    command->add_option("--title", settings.title, "What is seen; without it the folder's name");
    command->add_option("--size", settings.view_px, "Long side of the views that are turned, px")
        ->capture_default_str();
    command->add_option("--quality", settings.quality, "Of their JPEG, 1..100")->capture_default_str();
    command->add_flag("--turns-left", settings.turns_left, "The object was turned the other way round");
    command->add_flag("--overwrite", settings.overwrite, "Replace a spin page that is there");
    command->callback([arguments, &common] { run_spin(*arguments, common); });
    return command;
}

}  // namespace moorhaze::cli
