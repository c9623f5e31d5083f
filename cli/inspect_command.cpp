// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstdio>
#include <iostream>
#include <locale>
#include <sstream>

#include "cli/commands.h"
#include "core/merge/frame_source.h"
#include "core/merge/sharp_frames.h"
#include "core/project/align_series.h"
#include "core/work/json_text.h"

namespace moorhaze::cli {
namespace {

struct InspectArguments {
    FramesArgument frames;
    std::string cache;
    bool json = false;
    int reference = 0;
    std::vector<std::string> at;  ///< X,Y each, pixels of the reference frame
};

/// A place that was asked for, and the frames that are sharpest there.
struct AskedPlace {
    cv::Point2d place;
    SharpFrames sharp;
};

constexpr std::size_t kFrameBytes = std::size_t(1) << 30;  // the frame asked, decoded

cv::Point2d parse_place(const std::string& text) {
    double x = 0, y = 0;
    char comma = 0;
    std::istringstream in(text);
    in.imbue(std::locale::classic());
    if (!(in >> x >> comma >> y) || comma != ',' || in.peek() != std::char_traits<char>::eof())
        throw BadParameter("--at " + text + ": X,Y is needed, pixels of the reference frame");
    return {x, y};
}

/// Each frame is decoded once, for all places.
std::vector<AskedPlace> ask_places(const Series& series, const InspectArguments& arguments, int suggested,
                                   FrameShelf& shelf, const Job& job) {
    std::vector<AskedPlace> asked;
    std::vector<SharpAtPlace> judges;
    const double reach = usual_reach(series.size());
    for (const std::string& text : arguments.at) {
        const cv::Point2d place = parse_place(text);
        if (!cv::Rect2d(-0.5, -0.5, series.size().width, series.size().height).contains(place))
            throw BadParameter("--at " + text + ": the frames have " + std::to_string(series.size().width) +
                               " x " + std::to_string(series.size().height) + " pixels");
        asked.push_back({place, {}});
        judges.emplace_back(place, reach);
    }
    Project project = project_of(series);
    if (const auto frame = frame_numbered(arguments.reference, project, "--reference"))
        project = with_reference(std::move(project), frame);
    const SeriesGeometry geometry =
        align_series(series, align_inputs(project, series.frames[std::size_t(suggested)].id), nullptr, &shelf,
                     job.part(0, 0.7))
            .geometry;
    const FrameSource source(series, geometry, std::make_shared<FrameShelf>(kFrameBytes));
    for (int frame = 0; frame < series.count(); ++frame) {
        if (!geometry.frames[std::size_t(frame)].registered) continue;
        const Job own =
            job.part(0.7 + 0.3 * frame / series.count(), 0.7 + 0.3 * (frame + 1) / series.count());
        for (SharpAtPlace& judge : judges)
            judge.add(frame, source.load(frame, judge.part(), own.quiet()), own.quiet());
    }
    for (std::size_t i = 0; i < judges.size(); ++i) asked[i].sharp = judges[i].frames(job.quiet());
    return asked;
}

nlohmann::json places_json(const std::vector<AskedPlace>& asked) {
    auto places = nlohmann::json::array();
    for (const AskedPlace& own : asked) {
        auto frames = nlohmann::json::array(), certainty = nlohmann::json::array();
        for (const SharpFrames::Own& sharp : own.sharp.frames) {
            frames.push_back(sharp.frame + 1);
            certainty.push_back(sharp.certainty);
        }
        places.push_back(
            {{"x", own.place.x}, {"y", own.place.y}, {"frames", frames}, {"certainty", certainty}});
    }
    return places;
}

/// One series and all that was found out about it.
struct Inspected {
    Series series;
    Looked looked;
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

/// @param before  frames of earlier series: numbers run on through all.
nlohmann::json gaps_json(const Inspected& own, int before) {
    auto gaps = nlohmann::json::array();
    for (const FocusGap& gap : own.looked.whole.gaps)
        gaps.push_back({{"after", before + gap.after + 1},
                        {"before", before + gap.before + 1},
                        {"missing", gap.missing}});
    return gaps;
}

nlohmann::json numbers_json(const std::vector<int>& frames, int before) {
    auto numbers = nlohmann::json::array();
    for (const int frame : frames) numbers.push_back(before + frame + 1);
    return numbers;
}

void put_order(nlohmann::json& entry, const Inspected& own, int before) {
    entry["order"] = name_of(own.looked.order.order);
    entry["order_reason"] = own.looked.order.reason;
    if (own.looked.order.needs_repair())
        entry["suggested_order"] = numbers_json(own.looked.order.near_to_far, before);
    entry["suggested_reference"] = before + own.looked.whole.suggested_reference + 1;
}

void print_json(const std::vector<Inspected>& all, const std::vector<FoundSeries>& found,
                const std::vector<AskedPlace>& asked, const std::vector<std::string>& problems) {
    nlohmann::json report{{"name", all[0].series.name}};
    report["frames"] = nlohmann::json::array();
    report["gaps"] = nlohmann::json::array();
    auto warnings = problems;
    int before = 0;
    for (std::size_t s = 0; s < all.size(); ++s) {
        const Inspected& own = all[s];
        auto frames = frames_json(own.series, own.looked.whole, {});
        for (std::size_t i = 0; i < own.looked.profiles.size(); ++i) {
            const Frame& frame = own.series.frames[i];
            auto& entry = frames[i];
            entry["width"] = frame.info.width;
            entry["height"] = frame.info.height;
            entry["bits"] = frame.info.bits;
            entry["share"] = own.looked.whole.share[i];
            entry["brightness"] = own.looked.profiles[i].brightness;
            entry["clipped"] = own.looked.profiles[i].clipped;
            entry["colours"] = own.looked.profiles[i].colours;
            entry[own.looked.order.depth_in_mm ? "depth_mm" : "depth_steps"] = own.looked.order.depth[i];
            entry["shooting"] = shooting_json(frame.info.shooting);
            if (all.size() > 1) entry["series"] = s + 1;
            report["frames"].push_back(std::move(entry));
        }
        for (auto& gap : gaps_json(own, before)) report["gaps"].push_back(std::move(gap));
        warnings.insert(warnings.end(), own.looked.mixed.begin(), own.looked.mixed.end());
        if (all.size() > 1) {
            nlohmann::json entry{{"name", found[s].name},       {"reason", found[s].reason},
                                 {"first", before + 1},         {"last", before + own.series.count()},
                                 {"count", own.series.count()}, {"gaps", gaps_json(own, before)},
                                 {"mixed", own.looked.mixed}};
            put_order(entry, own, before);
            entry["frames"] = nlohmann::json::array();
            for (const Frame& frame : own.series.frames) entry["frames"].push_back(frame.path.string());
            report["series"].push_back(std::move(entry));
        }
        before += own.series.count();
    }
    if (all.size() == 1) {
        put_order(report, all[0], 0);
        report["mixed"] = all[0].looked.mixed;
    }
    if (!asked.empty()) report["places"] = places_json(asked);
    report["warnings"] = warnings;
    std::cout << json_text(report, 2) << "\n";
}

void print_text(const Inspected& own, int before) {
    for (std::size_t i = 0; i < own.looked.profiles.size(); ++i) {
        std::printf("%4d  %-28s  sharpest in %5.1f %%", before + int(i) + 1,
                    own.series.frames[i].path.filename().string().c_str(), 100 * own.looked.whole.share[i]);
        for (const FrameFlag& flag : own.looked.whole.flags[i])
            std::printf("  [%s: %s]", flag.kind.c_str(), flag.reason.c_str());
        std::printf("\n");
    }
    for (const FocusGap& gap : own.looked.whole.gaps)
        std::printf("gap after frame %d: at least %.1f steps missing, a soft band there\n",
                    before + gap.after + 1, gap.missing);
    for (const std::string& sentence : own.looked.mixed) std::printf("mixed: %s\n", sentence.c_str());
    std::printf("order: %s (%s)\n", name_of(own.looked.order.order), own.looked.order.reason.c_str());
    std::printf("suggested reference: frame %d\n", before + own.looked.whole.suggested_reference + 1);
}

void run_inspect(const InspectArguments& arguments, const Common& common) {
    std::vector<FoundSeries> found;
    auto opened = open_all_and_report(arguments.frames, common, found);
    std::vector<std::string> problems;
    for (const OpenedSeries& own : opened)
        problems.insert(problems.end(), own.problems.begin(), own.problems.end());
    std::optional<ProfileCache> cache;
    if (!arguments.cache.empty()) cache.emplace(arguments.cache);
    FrameShelf shelf(kFrameBytes);
    std::vector<Inspected> all;
    {
        const ProgressLine line("profiling", common);
        const double part = 1.0 / double(opened.size());
        for (auto& own : opened) {
            const Job job = line.job().part(part * double(all.size()), part * double(all.size() + 1));
            Looked looked = look_and_report(own.series, cache ? &*cache : nullptr,
                                            arguments.at.empty() ? nullptr : &shelf, problems, job);
            all.push_back({std::move(own.series), std::move(looked)});
        }
    }
    std::vector<AskedPlace> asked;
    if (!arguments.at.empty()) {
        if (all.size() > 1) throw BadParameter("--at needs one series: choose it with --series");
        const ProgressLine line("asking at the places", common);
        asked =
            ask_places(all[0].series, arguments, all[0].looked.whole.suggested_reference, shelf, line.job());
    }
    if (arguments.json) return print_json(all, found, asked, problems);
    if (all.size() > 1) std::printf("%zu series\n", all.size());
    int before = 0;
    for (std::size_t s = 0; s < all.size(); ++s) {
        const Series& series = all[s].series;
        std::printf("%s%s: %d frames, %dx%d%s\n", s > 0 ? "\n" : "", found[s].name.c_str(), series.count(),
                    series.size().width, series.size().height,
                    found[s].reason.empty() ? "" : (" (" + found[s].reason + ")").c_str());
        print_text(all[s], before);
        before += series.count();
    }
    for (const AskedPlace& own : asked) {
        std::printf("at %g,%g: ", own.place.x, own.place.y);
        if (own.sharp.frames.empty()) std::printf("no frame is sharp here");
        for (std::size_t i = 0; i < own.sharp.frames.size(); ++i)
            std::printf("%sframe %d (%.0f %%)", i > 0 ? ", and behind or before it " : "",
                        own.sharp.frames[i].frame + 1, 100 * own.sharp.frames[i].certainty);
        std::printf("\n");
    }
}

}  // namespace

CLI::App* add_inspect(CLI::App& app, const Common& common) {
    auto* command = app.add_subcommand(
        "inspect", "What each frame is, its sharpness, its flags with reasons, gaps, order, series");
    auto arguments = std::make_shared<InspectArguments>();
    arguments->frames.add_to(*command);
    command->add_flag("--json", arguments->json, "As JSON");
    command->add_option("--cache", arguments->cache,
                        "Folder that keeps what was seen of each frame, for the next time");
    command
        ->add_option("--at", arguments->at,
                     "Which frames are sharpest at X,Y, pixels of the reference frame; may be given again")
        ->type_name("X,Y")
        ->expected(1)
        ->multi_option_policy(CLI::MultiOptionPolicy::TakeAll);
    command->add_option("--reference", arguments->reference, "Frame that places are in; counts from 1")
        ->check(CLI::PositiveNumber);
    command->callback([arguments, &common] { run_inspect(*arguments, common); });
    return command;
}

}  // namespace moorhaze::cli
