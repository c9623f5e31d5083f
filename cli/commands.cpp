// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/commands.h"

#include <signal.h>
#include <sys/resource.h>
#include <unistd.h>

#include <algorithm>
#include <cstdio>
#include <iostream>
#include <mutex>
#include <thread>

#include "core/files/protected_files.h"

namespace moorhaze::cli {

ProgressLine::ProgressLine(std::string what, const Common& common)
    : what_(std::move(what)), quiet_(common.quiet) {}

ProgressLine::~ProgressLine() {
    if (!quiet_) std::fputc('\n', stderr);
}

std::stop_token stopped_by_signals() {
    static std::stop_source source;
    static std::once_flag once;
    std::call_once(once, [] {
        sigset_t signals;
        sigemptyset(&signals);
        sigaddset(&signals, SIGINT);
        sigaddset(&signals, SIGTERM);
        pthread_sigmask(SIG_BLOCK, &signals, nullptr);
        std::thread([signals] {
            int which = 0;
            sigwait(&signals, &which);
            source.request_stop();
            sigwait(&signals, &which);
            _exit(1);
        }).detach();
    });
    return source.get_token();
}

void protect(const std::vector<std::filesystem::path>& files) {
    static std::vector<ProtectedFiles> all;
    all.emplace_back(files);
}

void check_targets(const std::vector<std::string>& files, bool overwrite) {
    for (const std::string& file : files) {
        if (file.empty()) continue;
        if (is_protected(file))
            throw FileError(file +
                            ": is one of the frames. Originals are never written; choose another name.");
        std::error_code unknown;
        if (!overwrite && std::filesystem::exists(file, unknown))
            throw FileError(file + ": exists already. Choose another name, or add --overwrite.");
    }
}

Job ProgressLine::job() const {
    if (quiet_) return {stopped_by_signals(), {}};
    return {stopped_by_signals(), [what = what_](double fraction) {
                std::fprintf(stderr, "\r%s %3.0f %%", what.c_str(), 100 * fraction);
            }};
}

double Clock::seconds() const {
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - start_).count();
}

void FramesArgument::add_to(CLI::App& command) {
    command.add_option("FRAMES", files, "Files, or one folder")->required();
    command
        .add_option("--series", series,
                    "Which series, where a folder holds several; inspect says their numbers")
        ->check(CLI::PositiveNumber);
    command.add_option("--red", development.red, "Raw files: white balance, red against green")
        ->check(CLI::Range(0.05, 20.0));
    command.add_option("--blue", development.blue, "Raw files: white balance, blue against green")
        ->check(CLI::Range(0.05, 20.0));
    command.add_option("--exposure", development.exposure_ev, "Raw files: brightens all frames, EV")
        ->check(CLI::Range(-4.0, 4.0));
    command.add_option("--black", development.black_shift, "Raw files: raises the black point, 0..0.5")
        ->check(CLI::Range(0.0, 0.5));
    command.add_option("--white", development.white_shift, "Raw files: lowers the white point, 0..0.5")
        ->check(CLI::Range(0.0, 0.5));
    command.add_option("--demosaic", demosaic, "Raw files: bilinear, ppg or ahd")
        ->check(CLI::IsMember({"bilinear", "ppg", "ahd"}));
}

namespace {

/// What was typed goes before what the frames note.
void develop_as_typed(Series& series, const FramesArgument& frames) {
    const Development& typed = frames.development;
    for (Frame& frame : series.frames) {
        Development& own = frame.development;
        if (typed.red > 0) own.red = typed.red;
        if (typed.blue > 0) own.blue = typed.blue;
        own.exposure_ev = typed.exposure_ev;
        own.black_shift = typed.black_shift;
        own.white_shift = typed.white_shift;
        if (frames.demosaic == "bilinear") own.demosaic = Demosaic::bilinear;
        if (frames.demosaic == "ppg") own.demosaic = Demosaic::ppg;
    }
}

void report(const std::vector<std::string>& problems, const std::vector<std::string>& notes,
            const Common& common) {
    for (const auto& problem : problems) std::cerr << "moorhaze-cli: " << problem << "\n";
    if (!common.quiet)
        for (const auto& note : notes) std::cerr << "moorhaze-cli: note: " << note << "\n";
}

std::vector<std::filesystem::path> files_of(const Series& series) {
    std::vector<std::filesystem::path> files;
    for (const Frame& frame : series.frames) files.push_back(frame.path);
    return files;
}

bool names_folder(const std::vector<std::string>& files) {
    return std::any_of(files.begin(), files.end(),
                       [](const std::string& file) { return std::filesystem::is_directory(file); });
}

}  // namespace

OpenedSeries open_and_report(const FramesArgument& frames, const Common& common) {
    if (frames.series == 0 && !names_folder(frames.files)) {
        OpenedSeries opened = open_series({frames.files.begin(), frames.files.end()}, {});
        report(opened.problems, opened.notes, common);
        develop_as_typed(opened.series, frames);
        protect(files_of(opened.series));
        return opened;
    }
    std::vector<FoundSeries> found;
    auto all = open_all_and_report(frames, common, found);
    if (all.size() == 1) return std::move(all[0]);
    throw FileError(frames.files[0] + ": holds " + std::to_string(all.size()) +
                    " series (inspect lists them). Choose one with --series N, or name the files.");
}

std::vector<OpenedSeries> open_all_and_report(const FramesArgument& frames, const Common& common,
                                              std::vector<FoundSeries>& found) {
    OpenedCard card;
    {
        const ProgressLine line("reading", common);
        card = open_card({frames.files.begin(), frames.files.end()}, line.job());
    }
    report(card.problems, card.notes, common);
    if (frames.series > int(card.series.size()))
        throw BadParameter("--series " + std::to_string(frames.series) + ": " +
                           std::to_string(card.series.size()) + " were found");
    if (frames.series > 0) card.series = {card.series[std::size_t(frames.series) - 1]};
    std::vector<OpenedSeries> all;
    for (const FoundSeries& series : card.series) {
        all.push_back(make_series(series.frames));
        develop_as_typed(all.back().series, frames);
        protect(files_of(all.back().series));
        report(all.back().problems, all.back().notes, common);
    }
    all[0].problems.insert(all[0].problems.begin(), card.problems.begin(), card.problems.end());
    found = std::move(card.series);
    return all;
}

Looked look_and_report(const Series& series, const ProfileCache* cache, FrameShelf* shelf,
                       std::vector<std::string>& problems, const Job& job) {
    LookTask task;
    task.cache = cache;
    task.shelf = shelf;
    Looked looked = look_into(series, task, job);
    for (const FrameProblem& problem : looked.problems) {
        problems.push_back(problem.what);
        std::cerr << "moorhaze-cli: " << problem.what << "\n";
    }
    return looked;
}

Project project_of(const Series& series) {
    return with_series({}, series, {}, std::nullopt);
}

FrameRange parse_range(const std::string& text, int count) {
    if (text.empty()) return {0, count - 1};
    int first = 0, last = 0;
    char end = 0;
    const int read = std::sscanf(text.c_str(), "%d-%d%c", &first, &last, &end);
    if (read == 1) last = first;
    if (read < 1 || read > 2 || first < 1 || last < first || last > count)
        throw BadParameter("--range " + text + ": write A-B with frame numbers from 1 to " +
                           std::to_string(count));
    return {first - 1, last - 1};
}

std::optional<FrameId> frame_numbered(int number, const Project& project, const char* option) {
    if (number == 0) return std::nullopt;
    if (number < 1 || number > project.frames.size())
        throw BadParameter(std::string(option) + " " + std::to_string(number) +
                           ": the series has frames 1 to " + std::to_string(project.frames.size()));
    return project.frames[number - 1].id;
}

nlohmann::json frames_json(const Series& series, const SeriesProfile& profile,
                           const SeriesGeometry& geometry) {
    auto frames = nlohmann::json::array();
    for (int i = 0; i < series.count(); ++i) {
        const auto place = std::size_t(i);
        const Frame& frame = series.frames[place];
        nlohmann::json entry{{"path", frame.path.string()}, {"used", frame.used && series.range.contains(i)}};
        entry["flags"] = nlohmann::json::array();
        if (place < profile.flags.size())
            for (const FrameFlag& flag : profile.flags[place])
                entry["flags"].push_back(
                    {{"kind", flag.kind}, {"reason", flag.reason}, {"value", flag.value}});
        if (place < geometry.frames.size()) {
            const FrameGeometry& own = geometry.frames[place];
            const cv::Matx33d& m = own.matrix;
            entry["matrix"] = {
                {m(0, 0), m(0, 1), m(0, 2)}, {m(1, 0), m(1, 1), m(1, 2)}, {m(2, 0), m(2, 1), m(2, 2)}};
            entry["gain"] = own.gain();
            if (own.gains[0] != own.gains[1] || own.gains[1] != own.gains[2])
                entry["gains"] = {own.gains[0], own.gains[1], own.gains[2]};
            entry["residual_px"] = own.residual_px;
            entry["corner_px"] = own.corner_px;
            if (own.interpolated) entry["interpolated"] = true;
            if (!own.warning.empty()) entry["alignment_warning"] = own.warning;
            if (!own.registered) {
                entry["used"] = false;
                entry["problem"] = own.problem;
            }
        }
        frames.push_back(std::move(entry));
    }
    return frames;
}

nlohmann::json dust_json(const SeriesGeometry& geometry) {
    auto dust = nlohmann::json::array();
    for (const DustSpot& spot : geometry.dust)
        dust.push_back({{"x", spot.at.x},
                        {"y", spot.at.y},
                        {"radius_px", spot.radius_px},
                        {"softness", spot.softness},
                        {"depth", spot.depth}});
    return dust;
}

void add_dust_option(CLI::App& command, std::optional<bool>& mend_dust) {
    command
        .add_option("--dust", mend_dust,
                    "Dust on the sensor: auto finds it and mends it in every frame, off leaves it")
        ->transform(CLI::CheckedTransformer(std::map<std::string, bool>{{"auto", true}, {"off", false}}))
        ->default_str("auto");
}

double peak_memory_mb() {
    rusage usage{};
    getrusage(RUSAGE_SELF, &usage);
    return double(usage.ru_maxrss) / 1024;
}

}  // namespace moorhaze::cli
