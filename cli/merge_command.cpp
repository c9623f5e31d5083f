// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <iostream>

#include "cli/finish_options.h"
#include "core/align/common_area.h"
#include "core/files/float_tiff.h"
#include "core/files/safe_write.h"
#include "core/mend/mended.h"
#include "core/project/align_series.h"
#include "core/project/finish_in_plane.h"
#include "core/project/handed_picture.h"
#include "core/project/merge_series.h"
#include "core/project/project_folder.h"
#include "core/project/stored_sources.h"
#include "core/project/unattended.h"
#include "core/project/words.h"
#include "core/work/decode_budget.h"
#include "core/work/json_text.h"
#include "core/work/memory_budget.h"

namespace moorhaze::cli {
namespace {

/// What was not typed stays as the project has it.
struct MergeArguments {
    FramesArgument frames;
    std::string out, area, depth_out, source_out, report;
    std::optional<std::string> method, range;
    std::optional<double> detail_size_px, seam_width_px, trust_floor;
    std::optional<int> reference, backdrop;
    std::optional<bool> mend_dust;
    int memory_mb = 0;
    FinishOptions finish;
    bool no_align = false, no_crop = false, keep_flagged = false, overwrite = false, no_glare_guard = false,
         no_grain_guard = false, no_unveil = false;
};

/// What is merged: frames with nothing decided yet, or a project with all that a person decided.
struct Start {
    Project project;
    FrameFacts facts;
    std::vector<std::string> warnings;
    bool is_decided = false;
    std::filesystem::path folder;  ///< of the project
};

Start start_with(const MergeArguments& arguments, const Common& common) {
    const auto& files = arguments.frames.files;
    if (files.size() != 1 || !is_project(files[0])) {
        const OpenedSeries opened = open_and_report(arguments.frames, common);
        return {project_of(opened.series), facts_of(opened.series), opened.problems, false, {}};
    }
    const std::filesystem::path file = project_file(files[0]);
    OpenedProject opened = open_project(file, {});
    const Project& project = opened.saved.project;
    const std::vector<FrameId> chosen = chosen_frames(project);
    std::erase_if(opened.missing, [&](FrameId frame) {
        return std::find(chosen.begin(), chosen.end(), frame) == chosen.end();
    });
    if (!opened.missing.empty())
        throw FileError(file.string() + ": " + std::to_string(opened.missing.size()) +
                        " of its frames are not where they were (" + names_in_words(project, opened.missing) +
                        "). Put them back, or open the project in the window, which finds them again.");
    if (project.frames.size() == 0)
        throw FileError(file.string() + ": holds no frames. Open it in the window and add some.");
    std::vector<std::filesystem::path> originals{file};
    for (const ProjectFrame& frame : project.frames) originals.push_back(frame.path);
    protect(originals);
    return {project, opened.facts, {}, true, file.parent_path()};
}

Project with_options(Project project, const MergeArguments& arguments) {
    if (arguments.range) project = with_range(project, parse_range(*arguments.range, project.frames.size()));
    if (arguments.reference)
        project = with_reference(project, frame_numbered(*arguments.reference, project, "--reference"));
    if (arguments.no_align) {
        Placing placing = project.placing;
        placing.as_they_lie = true;
        project = with_placing(project, placing);
    }
    if (arguments.mend_dust) {
        Placing placing = project.placing;
        placing.mend_dust = *arguments.mend_dust;
        project = with_placing(project, placing);
    }
    if (!arguments.area.empty()) project = with_kept(project, kept_area_named(arguments.area));
    if (arguments.no_crop) project = with_kept(project, KeptArea::reference);
    MergeChoice choice = project.merge;
    if (arguments.method) choice.method = *arguments.method;
    if (arguments.detail_size_px) choice.settings.detail_size_px = *arguments.detail_size_px;
    if (arguments.seam_width_px) choice.settings.seam_width_px = *arguments.seam_width_px;
    if (arguments.trust_floor) choice.settings.trust_floor = *arguments.trust_floor;
    if (arguments.backdrop) choice.backdrop = frame_numbered(*arguments.backdrop, project, "--backdrop");
    if (arguments.no_glare_guard) choice.settings.glare_guard = false;
    if (arguments.no_grain_guard) choice.settings.grain_guard = false;
    if (arguments.no_unveil) choice.settings.unveil = false;
    return with_merge(project, choice);
}

/// What was painted on a result that was made from the very same; empty where there is none.
SharedList<Stroke> strokes_on(const Project& project, const MadeFrom& from) {
    for (int place = project.results.size() - 1; place >= 0; --place)
        if (project.results[place].made_from == from) return project.results[place].strokes;
    return {};
}

nlohmann::json settings_json(const MergeSettings& settings) {
    return {{"detail_size_px", settings.detail_size_px},
            {"seam_width_px", settings.seam_width_px},
            {"trust_floor", settings.trust_floor},
            {"backdrop_frame", settings.backdrop_frame},
            {"glare_guard", settings.glare_guard},
            {"grain_guard", settings.grain_guard},
            {"unveil", settings.unveil}};
}

/// Shares of the picture, by what made them.
nlohmann::json made_by_json(const cv::Mat1b& made_by) {
    nlohmann::json shares = nlohmann::json::object();
    for (int kind = 0; kind < kMadeByCount; ++kind)
        if (const int places = cv::countNonZero(made_by == kind))
            shares[words_for(MadeBy(kind))] = double(places) / double(made_by.total());
    return shares;
}

void run_merge(const MergeArguments& arguments, const Common& common) {
    if (arguments.method) merge_method(*arguments.method);  // wrong use is said before anything is read
    arguments.finish.output_for({}, arguments.out);
    const std::vector<std::string> targets{arguments.out, arguments.depth_out, arguments.source_out,
                                           arguments.report};
    check_targets(targets, arguments.overwrite);  // before anything is read, ...
    nlohmann::json seconds;
    Clock clock;
    double before = 0;
    auto took = [&](const char* step) {
        const double now = clock.seconds();
        seconds[step] = now - before;
        before = now;
    };
    const Start start = start_with(arguments, common);
    check_targets(targets, arguments.overwrite);  // ... and when it is known what the originals are
    const FrameFacts& facts = start.facts;
    std::vector<std::string> warnings = start.warnings;
    Project project = with_options(start.project, arguments);
    check(project.merge.settings);
    const MergeMethod& method = merge_method(project.merge.method);

    // What the merge leaves of the memory holds decoded frames, so that each is decoded once.
    const Series typed = series_of(project, facts);
    const std::size_t allowed = arguments.memory_mb > 0 ? std::size_t(arguments.memory_mb) << 20
                                                        : std::size_t(default_memory_mb()) << 20;
    FrameShelf shelf(bytes_to_spare(method,
                                    {typed,
                                     {},
                                     std::vector<int>(typed.frames.size()),
                                     PixelRect({}, typed.size()),
                                     project.merge.settings},
                                    allowed));
    Looked looked;
    {
        const ProgressLine line("profiling", common);
        looked = look_and_report(series_of(project, facts), nullptr, &shelf, warnings, line.job());
    }
    const auto add_warnings = [&](const std::vector<std::string>& more) {
        warnings.insert(warnings.end(), more.begin(), more.end());
    };
    if (!arguments.keep_flagged && !start.is_decided) {
        const auto left_out = flagged_frames(project, looked.whole, {});
        project = without(project, left_out);
        for (const LeftOut& own : left_out) warnings.push_back(in_words(own));
    }
    add_warnings(warnings_of(looked));
    took("profile");
    const Series series = series_of(project, facts);
    const MadeFrom from = merge_inputs(project, project.frames[looked.whole.suggested_reference].id);
    SeriesGeometry geometry;
    {
        const ProgressLine line("aligning", common);
        geometry = align_series(series, from.align, nullptr, &shelf, line.job()).geometry;
    }
    add_warnings(warnings_of(geometry, series));
    took("align");

    MergeResult result;
    const std::size_t memory = std::size_t(arguments.memory_mb) << 20;
    if (memory > 0) decode_budget().set_bytes(memory);
    {
        const ProgressLine line("merging", common);
        MergeContext context;
        context.shelf = &shelf;
        result = merge_series(series, geometry, from, memory, context, line.job());
        shelf.clear();
    }
    const PixelRect area = result.area;
    const int rows = plan_strips(method, {series, geometry, indices_of(from.frames, series), area,
                                          result.settings, memory})
                         .rows;
    const int strips = (area.height + rows - 1) / rows;
    for (const FrameProblem& problem : result.problems) warnings.push_back(problem.what);
    const SharedList<Stroke> strokes = strokes_on(project, from);
    // A frame is decoded to paint from any: only where something was painted, or layers are wanted.
    std::optional<FrameSource> frames;
    const auto sources = [&] {
        if (!frames) frames.emplace(series, geometry, std::make_shared<FrameShelf>(kStrokeFrameBytes));
        return MendSources{*frames,
                           stored_sources(strokes, start.project, facts, start.folder, series, geometry)};
    };
    const Picture mended_picture =
        strokes.empty() ? result.picture : mended(result, strokes, sources(), area, {});
    if (!result.picture.alpha.empty())
        warnings.push_back(
            std::to_string(long(result.picture.alpha.total()) - cv::countNonZero(result.picture.alpha)) +
            " pixels are covered by no frame and stay transparent (white in JPEG)");
    took("merge");
    const ProjectResult made{{}, {}, from, 0, false, strokes, {}};
    const Frame& reference = series.frames[std::size_t(geometry.reference)];
    FinishInPlane lying;
    if (!arguments.finish.no_finish) lying = finish_in_plane(project.finish, series, geometry);
    if (!lying.problem.empty()) warnings.push_back(lying.problem);
    ToFinish own{mended_picture,
                 area.tl(),
                 series.size(),
                 lying.finish,
                 project.hand_over,
                 reference.info.shooting,
                 made_with(made),
                 {},
                 raw_rendering_of(reference, from.align.look.development)};
    own.layers = [&](const Finish& finish, const TakeLayer& take, const Job& job) {
        layers_of(result, strokes, sources(), finish, take, job);
    };
    finish_and_write(arguments.finish, arguments.out, own, arguments.overwrite, {});
    if (!arguments.depth_out.empty()) write_plane(arguments.depth_out, result.depth);
    if (!arguments.source_out.empty()) write_plane(arguments.source_out, result.source);
    took("write");

    if (!arguments.report.empty()) {
        const nlohmann::json report{
            {"frames", frames_json(series, looked.whole, geometry)},
            {"reference", geometry.reference + 1},
            {"crop", {{"x", area.x}, {"y", area.y}, {"width", area.width}, {"height", area.height}}},
            {"method", result.method},
            {"dust", dust_json(geometry)},
            {"strokes", strokes.size()},
            {"settings", settings_json(result.settings)},
            {"made_by", made_by_json(result.made_by)},
            {"strips", strips},
            {"seconds", seconds},
            {"peak_memory_mb", peak_memory_mb()},
            {"warnings", warnings}};
        write_text_file(arguments.report, json_text(report, 2) + "\n", true);
    }
    if (!common.quiet)
        for (const auto& warning : warnings) std::cerr << "moorhaze-cli: " << warning << "\n";
}

}  // namespace

CLI::App* add_merge(CLI::App& app, const Common& common) {
    auto* command = app.add_subcommand(
        "merge", "Merges the sharp parts of a series, or a project as it was decided, into one picture");
    auto arguments = std::make_shared<MergeArguments>();
    std::string methods;
    for (const MergeMethod& method : merge_methods()) methods += (methods.empty() ? "" : ", ") + method.name;
    arguments->frames.add_to(*command);
    command
        ->add_option("-o,--output", arguments->out, "Picture to write: .tif, .jpg, .png, .jxl, .dng or .ora")
        ->required();
    command->add_option("--method", arguments->method, "One of: " + methods)
        ->default_str(merge_methods()[0].name);
    command->add_option("--range", arguments->range, "Only frames A-B");
    command->add_option("--reference", arguments->reference, "Number of the frame that stays as it is")
        ->check(CLI::PositiveNumber);
    command->add_flag("--no-align", arguments->no_align, "Take the frames as they lie");
    auto* no_crop = command->add_flag("--no-crop", arguments->no_crop, "Keep the reference frame's size");
    command
        ->add_option("--area", arguments->area,
                     "How much is kept: common (to all frames), reference (as --no-crop), everything")
        ->excludes(no_crop);
    add_dust_option(*command, arguments->mend_dust);
    command->add_flag("--keep-flagged", arguments->keep_flagged,
                      "Use frames that would be suggested to leave out");
    command->add_flag("--overwrite", arguments->overwrite, "Replace an existing picture");
    command->add_option("--detail-size", arguments->detail_size_px, "Neighbourhood judged, px")
        ->default_str("4");
    command->add_option("--seam-width", arguments->seam_width_px, "Softness of seams, px")->default_str("2");
    command
        ->add_option("--trust-floor", arguments->trust_floor, "Below it a place counts as never sharp, 0..1")
        ->default_str("0.3");
    command
        ->add_option("--backdrop", arguments->backdrop,
                     "Number of the frame that fills what is never sharp; without it the depth around does")
        ->check(CLI::PositiveNumber);
    command->add_flag("--no-glare-guard", arguments->no_glare_guard,
                      "Pyramid and woven: don't hold them within the frames");
    command->add_flag("--no-grain-guard", arguments->no_grain_guard,
                      "Woven and pyramid: choose detail even where it hardly stands out of the noise");
    command->add_flag("--no-unveil", arguments->no_unveil,
                      "Leave the blur of near things on what lies behind them; less time");
    command
        ->add_option("--memory", arguments->memory_mb,
                     "Megabytes to keep within: less is slower, strip after strip; without it one piece")
        ->check(CLI::PositiveNumber);
    command->add_option("--depth-out", arguments->depth_out,
                        "Write the depth map, 32-bit float in frame numbers");
    command->add_option("--source-out", arguments->source_out,
                        "Write which frame each pixel came from, 16 bit");
    command->add_option("--report", arguments->report, "Write a JSON report here");
    command->add_flag("--no-finish", arguments->finish.no_finish, "Of a project: leave its finish out");
    arguments->finish.add_to(*command);
    command->callback([arguments, &common] { run_merge(*arguments, common); });
    return command;
}

}  // namespace moorhaze::cli
