#include <cstdio>
#include <iostream>
#include <sstream>

#include "cli/commands.h"
#include "core/align/common_area.h"
#include "core/files/float_tiff.h"
#include "core/files/safe_write.h"
#include "core/project/align_series.h"
#include "core/project/merge_series.h"

namespace moorhaze::cli {
namespace {

struct Arguments {
    FramesArgument frames;
    std::string out, method = merge_methods()[0].name, range, area, depth_out, source_out, report;
    int reference = 0, backdrop = 0, memory_mb = 0;
    bool no_align = false, no_crop = false, keep_flagged = false, overwrite = false;
    MergeSettings settings;
};

nlohmann::json settings_json(const MergeSettings& settings) {
    return {{"detail_size_px", settings.detail_size_px}, {"seam_width_px", settings.seam_width_px},
            {"trust_floor", settings.trust_floor},       {"backdrop_frame", settings.backdrop_frame},
            {"glare_guard", settings.glare_guard},       {"grain_guard", settings.grain_guard}};
}

/// Shares of the picture, by what made them.
nlohmann::json made_by_json(const cv::Mat1b& made_by) {
    nlohmann::json shares = nlohmann::json::object();
    for (int kind = 0; kind < kMadeByCount; ++kind)
        if (const int places = cv::countNonZero(made_by == kind))
            shares[words_for(MadeBy(kind))] = double(places) / double(made_by.total());
    return shares;
}

void run(const Arguments& arguments, const Common& common) {
    const MergeMethod& method = merge_method(arguments.method);
    check(arguments.settings);
    const KeptArea kept = !arguments.area.empty() ? kept_area_named(arguments.area)
                          : arguments.no_crop     ? KeptArea::reference
                                                  : KeptArea::common;
    const FileFormat format = format_of_name(arguments.out);
    if (!arguments.overwrite && std::filesystem::exists(arguments.out))
        throw FileError(arguments.out + ": exists already. Choose another name, or add --overwrite.");
    nlohmann::json seconds;
    Clock clock;
    double before = 0;
    auto took = [&](const char* step) {
        const double now = clock.seconds();
        seconds[step] = now - before;
        before = now;
    };
    const OpenedSeries opened = open_and_report(arguments.frames, common);
    const FrameFacts facts = facts_of(opened.series);
    std::vector<std::string> warnings = opened.problems;
    Project project = project_of(opened.series);
    project = with_range(project, parse_range(arguments.range, project.frames.size()));
    project = with_reference(project, frame_numbered(arguments.reference, project, "--reference"));
    Placing placing;
    placing.as_they_lie = arguments.no_align;
    project = with_placing(project, placing);
    project = with_kept(project, kept);
    MergeChoice choice{arguments.method, arguments.settings,
                       frame_numbered(arguments.backdrop, project, "--backdrop")};
    project = with_merge(project, choice);

    Looked looked;
    {
        const ProgressLine line("profiling", common);
        looked = look_and_report(opened.series, nullptr, warnings, line.job());
    }
    if (looked.order.needs_repair())
        warnings.push_back("the frames are not in order: " + looked.order.reason +
                           "; depth map and woven need them near to far");
    if (!arguments.keep_flagged)
        for (int i = 0; i < project.frames.size(); ++i)
            if (const auto& flags = looked.whole.flags[std::size_t(i)]; !flags.empty()) {
                project = with_used(project, project.frames[i].id, false);
                warnings.push_back("frame " + std::to_string(i + 1) + " left out: " + flags[0].reason);
            }
    for (const FocusGap& gap : looked.whole.gaps) {
        std::ostringstream text;
        text.precision(2);
        text << "gap after frame " << gap.after + 1 << ": at least " << gap.missing
             << " steps missing, a soft band there";
        warnings.push_back(text.str());
    }
    took("profile");
    const Series series = series_of(project, facts);
    const MadeFrom from = merge_inputs(project, project.frames[looked.whole.suggested_reference].id);
    SeriesGeometry geometry;
    {
        const ProgressLine line("aligning", common);
        geometry = align_series(series, from.align, nullptr, line.job()).geometry;
    }
    for (int i = 0; i < series.count(); ++i)
        if (const auto& frame = geometry.frames[std::size_t(i)];
            !frame.problem.empty() && series.frames[std::size_t(i)].used)
            warnings.push_back("frame " + std::to_string(i + 1) + ": " + frame.problem);
    took("align");

    MergeResult result;
    const std::size_t memory = std::size_t(arguments.memory_mb) << 20;
    {
        const ProgressLine line("merging", common);
        result = merge_series(series, geometry, from, memory, {}, line.job());
    }
    const PixelRect area = result.area;
    const int rows = plan_strips(method, {series, geometry, indices_of(from.frames, series), area,
                                          result.settings, memory})
                         .rows;
    const int strips = (area.height + rows - 1) / rows;
    for (const FrameProblem& problem : result.problems) warnings.push_back(problem.what);
    if (!result.picture.alpha.empty())
        warnings.push_back(
            std::to_string(long(result.picture.alpha.total()) - cv::countNonZero(result.picture.alpha)) +
            " pixels are covered by no frame and stay transparent (black in JPEG)");
    took("merge");
    WriteSettings write;
    write.format = format;
    write.overwrite = arguments.overwrite;
    write.made_with =
        "Moorhaze " + result.method + " merge of " + std::to_string(from.frames.size()) + " frames";
    write_picture(arguments.out, result.picture, series.frames[std::size_t(geometry.reference)].info.shooting,
                  write, {});
    if (!arguments.depth_out.empty()) write_plane(arguments.depth_out, result.depth);
    if (!arguments.source_out.empty()) write_plane(arguments.source_out, result.source);
    took("write");

    if (!arguments.report.empty()) {
        const nlohmann::json report{
            {"frames", frames_json(series, looked.whole, geometry)},
            {"reference", geometry.reference + 1},
            {"crop", {{"x", area.x}, {"y", area.y}, {"width", area.width}, {"height", area.height}}},
            {"method", result.method},
            {"settings", settings_json(result.settings)},
            {"made_by", made_by_json(result.made_by)},
            {"strips", strips},
            {"seconds", seconds},
            {"peak_memory_mb", peak_memory_mb()},
            {"warnings", warnings}};
        write_text_file(arguments.report, report.dump(2) + "\n", true);
    }
    if (!common.quiet)
        for (const auto& warning : warnings) std::cerr << "moorhaze-cli: " << warning << "\n";
}

}  // namespace

CLI::App* add_merge(CLI::App& app, const Common& common) {
    auto* command = app.add_subcommand("merge", "Merges the sharp parts of a series into one picture");
    auto arguments = std::make_shared<Arguments>();
    std::string methods;
    for (const MergeMethod& method : merge_methods()) methods += (methods.empty() ? "" : ", ") + method.name;
    arguments->frames.add_to(*command);
    command->add_option("-o,--output", arguments->out, "Picture to write: .tif, .jpg or .png")->required();
    command->add_option("--method", arguments->method, "One of: " + methods)->capture_default_str();
    command->add_option("--range", arguments->range, "Only frames A-B");
    command->add_option("--reference", arguments->reference, "Number of the frame that stays as it is")
        ->check(CLI::PositiveNumber);
    command->add_flag("--no-align", arguments->no_align, "Take the frames as they lie");
    auto* no_crop = command->add_flag("--no-crop", arguments->no_crop, "Keep the reference frame's size");
    command
        ->add_option("--area", arguments->area,
                     "How much is kept: common (to all frames), reference (as --no-crop), everything")
        ->excludes(no_crop);
    command->add_flag("--keep-flagged", arguments->keep_flagged,
                      "Use frames that would be suggested to leave out");
    command->add_flag("--overwrite", arguments->overwrite, "Replace an existing picture");
    command->add_option("--detail-size", arguments->settings.detail_size_px, "Neighbourhood judged, px")
        ->capture_default_str();
    command->add_option("--seam-width", arguments->settings.seam_width_px, "Softness of seams, px")
        ->capture_default_str();
    command
        ->add_option("--trust-floor", arguments->settings.trust_floor,
                     "Below it a place counts as never sharp, 0..1")
        ->capture_default_str();
    command
        ->add_option("--backdrop", arguments->backdrop,
                     "Number of the frame that fills what is never sharp; without it the depth around does")
        ->check(CLI::PositiveNumber);
    command->add_flag("!--no-glare-guard", arguments->settings.glare_guard,
                      "Pyramid and woven: don't hold them within the frames");
    command->add_flag("!--no-grain-guard", arguments->settings.grain_guard,
                      "Woven and pyramid: choose detail even where it hardly stands out of the noise");
    command
        ->add_option("--memory", arguments->memory_mb,
                     "Megabytes to keep within: less is slower, strip after strip; without it one piece")
        ->check(CLI::PositiveNumber);
    command->add_option("--depth-out", arguments->depth_out,
                        "Write the depth map, 32-bit float in frame numbers");
    command->add_option("--source-out", arguments->source_out,
                        "Write which frame each pixel came from, 16 bit");
    command->add_option("--report", arguments->report, "Write a JSON report here");
    command->callback([arguments, &common] { run(*arguments, common); });
    return command;
}

}  // namespace moorhaze::cli
