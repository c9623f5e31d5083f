#include <cstdio>
#include <iostream>

#include "cli/commands.h"

namespace moorhaze::cli {
namespace {

struct Arguments {
    std::vector<std::string> files;
    bool json = false;
};

nlohmann::json shooting_json(const ShootingData& data) {
    nlohmann::json entry = nlohmann::json::object();
    auto put = [&](const char* key, const auto& value) {
        if (value) entry[key] = *value;
    };
    put("taken", data.taken);
    put("f_number", data.f_number);
    put("exposure_s", data.exposure_s);
    put("iso", data.iso);
    put("focal_length_mm", data.focal_length_mm);
    put("focus_distance_m", data.focus_distance_m);
    return entry;
}

void run(const Arguments& arguments, const Common& common) {
    const OpenedSeries opened = open_and_tell(arguments.files, common);
    std::vector<std::string> problems = opened.problems;
    std::vector<FocusProfile> profiles;
    {
        const ProgressLine line("profiling", common);
        profiles = profile_all(opened.series, problems, line.job());
    }
    const SeriesProfile profile = profile_series(profiles);
    if (arguments.json) {
        auto report =
            nlohmann::json{{"name", opened.series.name}, {"frames", frames_json(opened.series, profile, {})}};
        for (std::size_t i = 0; i < profiles.size(); ++i) {
            const Frame& frame = opened.series.frames[i];
            auto& entry = report["frames"][i];
            entry["width"] = frame.info.width;
            entry["height"] = frame.info.height;
            entry["bits"] = frame.info.bits;
            entry["share"] = profile.share[i];
            entry["brightness"] = profiles[i].brightness;
            entry["clipped"] = profiles[i].clipped;
            entry["shooting"] = shooting_json(frame.info.shooting);
        }
        report["gaps"] = nlohmann::json::array();
        for (const FocusGap& gap : profile.gaps)
            report["gaps"].push_back(
                {{"after", gap.after + 1}, {"before", gap.before + 1}, {"missing", gap.missing}});
        report["suggested_reference"] = profile.suggested_reference + 1;
        report["warnings"] = problems;
        std::cout << report.dump(2) << "\n";
        return;
    }
    std::printf("%s: %d frames, %dx%d\n", opened.series.name.c_str(), opened.series.count(),
                opened.series.size().width, opened.series.size().height);
    for (std::size_t i = 0; i < profiles.size(); ++i) {
        std::printf("%4d  %-28s  sharpest in %5.1f %%", int(i) + 1,
                    opened.series.frames[i].path.filename().string().c_str(), 100 * profile.share[i]);
        for (const FrameFlag& flag : profile.flags[i])
            std::printf("  [%s: %s]", flag.kind.c_str(), flag.reason.c_str());
        std::printf("\n");
    }
    for (const FocusGap& gap : profile.gaps)
        std::printf("gap after frame %d: at least %.1f steps missing, a soft band there\n", gap.after + 1,
                    gap.missing);
    std::printf("suggested reference: frame %d\n", profile.suggested_reference + 1);
}

}  // namespace

CLI::App* add_inspect(CLI::App& app, const Common& common) {
    auto* command =
        app.add_subcommand("inspect", "What each frame is, its sharpness, its flags with reasons, gaps");
    auto arguments = std::make_shared<Arguments>();
    command->add_option("FRAMES", arguments->files, "Files, or one folder")->required();
    command->add_flag("--json", arguments->json, "As JSON");
    command->callback([arguments, &common] { run(*arguments, common); });
    return command;
}

}  // namespace moorhaze::cli
