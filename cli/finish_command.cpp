// SPDX-License-Identifier: GPL-3.0-or-later
#include <iostream>

#include "cli/finish_options.h"
#include "core/finish/finish_json.h"
#include "core/project/finish_in_plane.h"
#include "core/project/handed_picture.h"
#include "core/project/project_folder.h"
#include "core/project/result_files.h"
#include "core/project/result_series.h"
#include "core/project/stored_sources.h"
#include "core/project/words.h"

namespace moorhaze::cli {
namespace {

struct FinishArguments {
    std::string input, out, save_look;
    int result = 0;
    bool overwrite = false;
    FinishOptions options;
};

void run_finish(const FinishArguments& arguments, const Common& common) {
    arguments.options.output_for({}, arguments.out);  // wrong use is said before anything is read
    if (!is_project(arguments.input)) protect({arguments.input});
    check_targets({arguments.out, arguments.save_look}, arguments.overwrite);
    const ProgressLine line("finishing", common);
    ToFinish own;
    std::optional<FrameSource> frames;  // refers to the series
    Series series;
    StoredResult stored;
    ResultSources others;
    if (is_project(arguments.input)) {
        const std::filesystem::path file = project_file(arguments.input);
        const OpenedProject opened = open_project(file, {});
        const Project& project = opened.saved.project;
        const ProjectResult& result = result_numbered(project, arguments.result, file.string());
        series = series_of_result(project, opened.facts, result);
        stored = read_result(file.parent_path(), result, {});
        others = stored_sources(result.strokes, project, opened.facts, file.parent_path(), series,
                                stored.geometry);
        // Frames are needed only where something was painted, or layers are wanted; they may be gone.
        const auto sources = [&] {
            if (!frames)
                frames.emplace(series, stored.geometry, std::make_shared<FrameShelf>(kStrokeFrameBytes));
            return MendSources{*frames, others};
        };
        const FinishInPlane lying = finish_in_plane(project.finish, series, stored.geometry);
        if (!lying.problem.empty()) std::cerr << "moorhaze-cli: " << lying.problem << "\n";
        own = {result.strokes.empty()
                   ? stored.result.picture
                   : mended(stored.result, result.strokes, sources(), stored.result.area, line.job()),
               stored.result.area.tl(),
               opened.saved.frame_size,
               lying.finish,
               project.hand_over,
               stored.shooting,
               made_with(result),
               {},
               {}};
        // Layers alone need the merge as it was, and its planes: of a large picture they are a third of all.
        if (format_of_name(arguments.out) != FileFormat::open_raster) stored.result = {};
        own.layers = [&stored, sources, strokes = result.strokes](const Finish& finish, const TakeLayer& take,
                                                                  const Job& job) {
            layers_of(stored.result, strokes, sources(), finish, take, job);
        };
        own.raw = raw_rendering_of(series.frames[std::size_t(stored.geometry.reference)],
                                   result.made_from.align.look.development);
    } else {
        const PictureInfo info = read_picture_info(arguments.input);
        own.shooting = info.shooting;
        own.picture = read_picture(arguments.input);
        own.frame = own.picture.pixels.size();
        own.made_with = "Moorhaze";
        own.raw = raw_rendering_of({arguments.input, info, {}, true, {}}, {});
    }
    const Finish used =
        finish_and_write(arguments.options, arguments.out, own, arguments.overwrite, line.job());
    if (!arguments.save_look.empty()) write_look(arguments.save_look, used, arguments.overwrite);
}

}  // namespace

CLI::App* add_finish(CLI::App& app, const Common& common) {
    auto* command = app.add_subcommand(
        "finish",
        "Finishes a picture, or a project's result as it was decided: crop, light, colour, detail, file");
    auto arguments = std::make_shared<FinishArguments>();
    command->add_option("PICTURE|PROJECT", arguments->input, "A picture, or a project's folder or file")
        ->required();
    command
        ->add_option("-o,--output", arguments->out, "Picture to write: .tif, .jpg, .png, .jxl, .dng or .ora")
        ->required();
    command
        ->add_option("--result", arguments->result, "Number of the project's result; without it the newest")
        ->check(CLI::PositiveNumber);
    command->add_option("--save-look", arguments->save_look, "Write what was done as a look here");
    command->add_flag("--overwrite", arguments->overwrite, "Replace files that are there");
    arguments->options.add_to(*command);
    command->callback([arguments, &common] { run_finish(*arguments, common); });
    return command;
}

}  // namespace moorhaze::cli
