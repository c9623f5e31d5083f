#include <cstdio>
#include <iostream>
#include <sstream>

#include "cli/commands.h"
#include "core/align/common_area.h"
#include "core/align/measure_series.h"
#include "core/files/float_tiff.h"
#include "core/files/safe_write.h"
#include "core/merge/merge_within.h"

namespace moorhaze::cli {
namespace {

struct Arguments {
    FramesArgument frames;
    std::string out, method = merge_methods()[0].name, range, area, depth_out, source_out, report;
    int reference = 0, memory_mb = 0;
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
    OpenedSeries opened = open_and_tell(arguments.frames, common);
    Series& series = opened.series;
    std::vector<std::string> warnings = opened.problems;
    series.range = parse_range(arguments.range, series.count());

    SeriesProfile profile;
    {
        const ProgressLine line("profiling", common);
        profile = profile_series(profile_all(series, nullptr, warnings, line.job()));
    }
    if (!arguments.keep_flagged)
        for (int i = 0; i < series.count(); ++i)
            for (const FrameFlag& flag : profile.flags[std::size_t(i)]) {
                if (!series.frames[std::size_t(i)].used) continue;
                series.frames[std::size_t(i)].used = false;
                warnings.push_back("frame " + std::to_string(i + 1) + " left out: " + flag.reason);
            }
    for (const FocusGap& gap : profile.gaps) {
        std::ostringstream text;
        text.precision(2);
        text << "gap after frame " << gap.after + 1 << ": at least " << gap.missing
             << " steps missing, a soft band there";
        warnings.push_back(text.str());
    }
    took("profile");
    const int reference = reference_index(arguments.reference, profile.suggested_reference, series.count());
    SeriesGeometry geometry = unmoved(series, reference);
    if (!arguments.no_align) {
        const ProgressLine line("aligning", common);
        geometry = register_series(series, reference, line.job());
        for (int i = 0; i < series.count(); ++i)
            if (const auto& frame = geometry.frames[std::size_t(i)];
                !frame.problem.empty() && series.frames[std::size_t(i)].used)
                warnings.push_back("frame " + std::to_string(i + 1) + ": " + frame.problem);
    }
    took("align");
    const std::vector<int> chosen = series.chosen();
    if (chosen.empty())
        throw Error("no frame is left to merge: add --keep-flagged, or choose another --range.");
    const PixelRect area = kept_area(geometry, chosen, series.size(), kept);
    if (area.empty())
        throw Error("the frames have no area in common: leave the outliers out, or add --no-crop.");

    MergeResult result;
    int strips = 1;
    {
        const ProgressLine line("merging", common);
        const MergeTask task{series, geometry,           chosen,
                             area,   arguments.settings, std::size_t(arguments.memory_mb) << 20};
        const int rows = plan_strips(method, task).rows;
        strips = (area.height + rows - 1) / rows;
        result = merge_within(method, task, {}, line.job());
    }
    for (const FrameProblem& problem : result.problems) warnings.push_back(problem.what);
    if (!result.picture.alpha.empty())
        warnings.push_back(
            std::to_string(long(result.picture.alpha.total()) - cv::countNonZero(result.picture.alpha)) +
            " pixels are covered by no frame and stay transparent (black in JPEG)");
    took("merge");
    WriteSettings write;
    write.format = format;
    write.overwrite = arguments.overwrite;
    write.made_with = "Moorhaze " + result.method + " merge of " + std::to_string(chosen.size()) + " frames";
    write_picture(arguments.out, result.picture, series.frames[std::size_t(reference)].info.shooting, write,
                  {});
    if (!arguments.depth_out.empty()) write_plane(arguments.depth_out, result.depth);
    if (!arguments.source_out.empty()) write_plane(arguments.source_out, result.source);
    took("write");

    if (!arguments.report.empty()) {
        const nlohmann::json report{
            {"frames", frames_json(series, profile, geometry)},
            {"reference", reference + 1},
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
        ->add_option("--backdrop", arguments->settings.backdrop_frame,
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
