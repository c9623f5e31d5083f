// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstdio>
#include <iostream>
#include <map>

#include "cli/commands.h"
#include "core/align/common_area.h"
#include "core/files/safe_write.h"
#include "core/merge/frame_source.h"
#include "core/project/align_series.h"
#include "core/work/json_text.h"
#include "core/work/memory_budget.h"

namespace moorhaze::cli {
namespace {

struct AlignArguments {
    FramesArgument frames;
    int reference = 0;
    Placing placing;
    std::optional<bool> mend_dust;
    std::string report, folder, area = "reference";
    bool overwrite = false;
};

const char* name_of(PlaneModel model) {
    switch (model) {
        case PlaneModel::shift:
            return "shift";
        case PlaneModel::similarity:
            return "similarity";
        case PlaneModel::perspective:
            return "perspective";
        case PlaneModel::automatic:
            break;
    }
    return "auto";
}

void run_align(const AlignArguments& arguments, const Common& common) {
    const KeptArea kept = kept_area_named(arguments.area);
    const Clock clock;
    const OpenedSeries opened = open_and_report(arguments.frames, common);
    const Series& series = opened.series;
    check_targets({arguments.report}, arguments.overwrite);
    std::vector<std::string> warnings = opened.problems;
    FrameShelf shelf(std::size_t(default_memory_mb()) << 19);
    Looked looked;
    {
        const ProgressLine line("profiling", common);
        looked = look_and_report(series, nullptr, &shelf, warnings, line.job());
    }
    const double profile_seconds = clock.seconds();
    Placing placing = arguments.placing;
    placing.mend_dust = arguments.mend_dust.value_or(placing.mend_dust);
    Project project = with_placing(project_of(series), placing);
    project = with_reference(project, frame_numbered(arguments.reference, project, "--reference"));
    SeriesGeometry geometry;
    {
        const ProgressLine line("aligning", common);
        const FrameId suggested = project.frames[looked.whole.suggested_reference].id;
        geometry =
            align_series(series, align_inputs(project, suggested), nullptr, &shelf, line.job()).geometry;
    }
    const double align_seconds = clock.seconds() - profile_seconds;
    for (const FrameGeometry& frame : geometry.frames)
        if (!frame.problem.empty()) warnings.push_back(frame.problem);
    const PixelRect crop = common_area(geometry, series.chosen(), series.size());
    const PixelRect area = kept_area(geometry, series.chosen(), series.size(), kept);

    if (!arguments.folder.empty()) {
        std::error_code failure;
        std::filesystem::create_directories(arguments.folder, failure);
        if (failure)
            throw FileError(arguments.folder + ": cannot be made (" + failure.message() +
                            "). Choose another folder.");
        const ProgressLine line("writing", common);
        if (area.empty())
            throw Error(
                "the frames have no area in common: leave the outliers out, or use --area reference.");
        AlignedFrames frames(series, geometry, series.chosen(), area);
        for (int place = 0; place < frames.count(); ++place) {
            const auto frame = frames.load(place, {});
            if (!frame) {
                warnings.push_back(frame.error().what);
                continue;
            }
            const Frame& original = series.frames[std::size_t(frames.index(place))];
            const Picture picture = picture_of(*frame, frames.curve(), frames.profile());
            const auto file =
                std::filesystem::path(arguments.folder) / (original.path.stem().string() + "-aligned.tif");
            const std::string unsaid = write_picture_anyway(file, picture, original.info.shooting, {}, {});
            if (!unsaid.empty()) warnings.push_back(file.string() + ": " + unsaid);
            line.job().checkpoint(double(place + 1) / frames.count());
        }
    }
    if (!common.quiet)
        for (int i = 0; i < series.count(); ++i) {
            const FrameGeometry& frame = geometry.frames[std::size_t(i)];
            const auto shift = frame.shift_px(series.size());
            if (frame.registered)
                std::printf(
                    "%4d  shift %8.2f %8.2f px  turn %7.3f deg  scale %.5f  gain %.3f  residual %.2f px\n",
                    i + 1, shift.x, shift.y, frame.rotation_deg(), frame.scale(), frame.gain(),
                    frame.residual_px);
            else
                std::printf("%4d  not aligned: %s\n", i + 1, frame.problem.c_str());
        }
    if (!common.quiet)
        for (const DustSpot& spot : geometry.dust)
            std::printf("dust at %.0f, %.0f px: radius %.1f px, takes %.1f %% of the light\n", spot.at.x,
                        spot.at.y, spot.radius_px, 100 * spot.depth);
    if (!arguments.report.empty()) {
        const nlohmann::json report{
            {"frames", frames_json(series, looked.whole, geometry)},
            {"reference", geometry.reference + 1},
            {"crop", {{"x", crop.x}, {"y", crop.y}, {"width", crop.width}, {"height", crop.height}}},
            {"model", name_of(geometry.model)},
            {"model_reason", geometry.model_reason},
            {"vignetting", {{"square", geometry.vignetting.square}, {"fourth", geometry.vignetting.fourth}}},
            {"dust", dust_json(geometry)},
            {"residual_px", geometry.residual_px()},
            {"corner_px", geometry.corner_px()},
            {"seconds", {{"profile", profile_seconds}, {"align", align_seconds}}},
            {"peak_memory_mb", peak_memory_mb()},
            {"warnings", warnings}};
        write_text_file(arguments.report, json_text(report, 2) + "\n", true);
    }
}

}  // namespace

CLI::App* add_align(CLI::App& app, const Common& common) {
    auto* command = app.add_subcommand("align", "Finds how the frames lie against the reference frame");
    auto arguments = std::make_shared<AlignArguments>();
    arguments->frames.add_to(*command);
    command->add_option("--reference", arguments->reference, "Number of the frame that stays as it is")
        ->check(CLI::PositiveNumber);
    command
        ->add_option("--model", arguments->placing.model,
                     "What may differ between frames: auto, shift, similarity, perspective")
        ->transform(CLI::CheckedTransformer(
            std::map<std::string, PlaneModel>{{"auto", PlaneModel::automatic},
                                              {"shift", PlaneModel::shift},
                                              {"similarity", PlaneModel::similarity},
                                              {"perspective", PlaneModel::perspective}}));
    command
        ->add_option("--levelling", arguments->placing.levelling,
                     "Evens out brightness: auto, off, brightness, colour")
        ->transform(
            CLI::CheckedTransformer(std::map<std::string, Levelling>{{"auto", Levelling::automatic},
                                                                     {"off", Levelling::off},
                                                                     {"brightness", Levelling::brightness},
                                                                     {"colour", Levelling::colour}}));
    command
        ->add_option("--unplaced", arguments->placing.unplaced,
                     "Frames that cannot be aligned: leave-out, interpolate")
        ->transform(CLI::CheckedTransformer(std::map<std::string, Unplaced>{
            {"leave-out", Unplaced::leave_out}, {"interpolate", Unplaced::interpolate}}));
    add_dust_option(*command, arguments->mend_dust);
    command->add_option("--report", arguments->report, "Write a JSON report here");
    command->add_flag("--overwrite", arguments->overwrite, "Replace an existing report");
    command->add_option("--out", arguments->folder,
                        "Write the aligned frames as 16-bit TIFF into this folder");
    command
        ->add_option("--area", arguments->area,
                     "How much of the plane these show: common (to all frames), reference, everything")
        ->capture_default_str();
    command->callback([arguments, &common] { run_align(*arguments, common); });
    return command;
}

}  // namespace moorhaze::cli
