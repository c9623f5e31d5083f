// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstdio>
#include <iostream>

#include "cli/commands.h"
#include "core/files/safe_write.h"
#include "core/mend/mended.h"
#include "core/mend/painted_mask.h"
#include "core/project/project_folder.h"
#include "core/project/result_files.h"
#include "core/project/result_series.h"
#include "core/project/stored_sources.h"
#include "core/work/json_text.h"

namespace moorhaze::cli {
namespace {

struct MendArguments {
    std::string project, report, mask;
    int result = 0;
    bool snags = false, overwrite = false;
};

nlohmann::json json_of(const Snag& snag, bool painted, bool ignored) {
    return {
        {"kind", name_of(snag.kind)},
        {"x", snag.place.x},
        {"y", snag.place.y},
        {"area",
         {{"x", snag.area.x}, {"y", snag.area.y}, {"width", snag.area.width}, {"height", snag.area.height}}},
        {"strength", snag.strength},
        {"frame", snag.frame},
        {"frames", {snag.nearest, snag.farthest}},
        {"without_dust", snag.without_dust},
        {"sentence", sentence_of(snag)},
        {"painted", painted},
        {"ignored", ignored}};
}

void run_mend(const MendArguments& arguments, const Common& common) {
    const bool looks = arguments.snags || !arguments.report.empty();
    if (!looks && arguments.mask.empty())
        throw BadParameter(
            "say what is wanted: --snags lists doubtful places, --report writes them to a file, --mask what "
            "was "
            "painted as a picture");
    const std::filesystem::path file = project_file(arguments.project);
    protect({file});
    check_targets({arguments.report, arguments.mask}, arguments.overwrite);
    const OpenedProject opened = open_project(file, {});
    const Project& project = opened.saved.project;
    const ProjectResult& result = result_numbered(project, arguments.result, file.string());
    const Series series = series_of_result(project, opened.facts, result);
    const StoredResult stored = read_result(file.parent_path(), result, {});
    const MergePlanes planes = planes_of(stored.result, series);
    if (!arguments.mask.empty())
        write_picture(arguments.mask, painted_mask(result.strokes, planes, {}), {},
                      mask_writing(arguments.overwrite), {});
    if (!looks) return;
    std::vector<Snag> snags;
    {
        const ProgressLine line("looking for doubtful places", common);
        snags = snags_of_result(stored.result, series, stored.geometry, result.made_from, line.job());
    }
    nlohmann::json list = nlohmann::json::array();
    int number = 0;
    for (const Snag& snag : snags) {
        const bool painted = is_painted(snag, result.strokes, planes);
        const bool ignored = is_ignored(snag, result.ignored);
        list.push_back(json_of(snag, painted, ignored));
        if (arguments.snags)
            std::printf("%3d  %-11s at %d, %d  %s%s\n", ++number, name_of(snag.kind), snag.place.x,
                        snag.place.y, sentence_of(snag).c_str(),
                        painted   ? " (painted)"
                        : ignored ? " (ignored)"
                                  : "");
    }
    if (arguments.snags && snags.empty()) std::printf("no doubtful place was found\n");
    if (!arguments.report.empty())
        write_text_file(arguments.report,
                        json_text(nlohmann::json{{"result", result.title}, {"snags", list}}, 2) + "\n", true);
}

}  // namespace

CLI::App* add_mend(CLI::App& app, const Common& common) {
    auto* command = app.add_subcommand("mend", "Finds doubtful places of a project's result");
    auto arguments = std::make_shared<MendArguments>();
    command->add_option("PROJECT", arguments->project, "A project's folder, or its .moorhaze file")
        ->required();
    command->add_flag("--snags", arguments->snags,
                      "List the doubtful places, the likeliest and strongest first");
    command->add_option("--result", arguments->result, "Number of the result; without it the newest")
        ->check(CLI::PositiveNumber);
    command->add_option("--report", arguments->report, "Write them as JSON here");
    command->add_option("--mask", arguments->mask,
                        "Write what was painted as a PNG of the merge's size: white is all from strokes");
    command->add_flag("--overwrite", arguments->overwrite, "Replace a mask that is there");
    command->callback([arguments, &common] { run_mend(*arguments, common); });
    return command;
}

}  // namespace moorhaze::cli
