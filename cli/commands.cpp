#include "cli/commands.h"

#include <sys/resource.h>

#include <cstdio>
#include <iostream>

namespace moorhaze::cli {

ProgressLine::ProgressLine(std::string what, const Common& common)
    : what_(std::move(what)), quiet_(common.quiet) {}

ProgressLine::~ProgressLine() {
    if (!quiet_) std::fputc('\n', stderr);
}

Job ProgressLine::job() const {
    if (quiet_) return {};
    return {{}, [what = what_](double fraction) {
                std::fprintf(stderr, "\r%s %3.0f %%", what.c_str(), 100 * fraction);
            }};
}

double Clock::seconds() const {
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - start_).count();
}

OpenedSeries open_and_tell(const std::vector<std::string>& files, const Common& common) {
    OpenedSeries opened = open_series({files.begin(), files.end()}, {});
    for (const auto& problem : opened.problems) std::cerr << "moorhaze-cli: " << problem << "\n";
    if (!common.quiet)
        for (const auto& note : opened.notes) std::cerr << "moorhaze-cli: note: " << note << "\n";
    return opened;
}

std::vector<FocusProfile> profile_all(const Series& series, std::vector<std::string>& problems,
                                      const Job& job) {
    std::vector<FocusProfile> profiles;
    for (int i = 0; i < series.count(); ++i) {
        auto profile = focus_profile(series.frames[std::size_t(i)], i, job);
        if (!profile) {
            problems.push_back(profile.error().what);
            std::cerr << "moorhaze-cli: " << profile.error().what << "\n";
        }
        profiles.push_back(profile ? *profile : FocusProfile{});
        job.checkpoint(double(i + 1) / series.count());
    }
    return profiles;
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

int reference_index(int number, int suggested, int count) {
    if (number == 0) return suggested;
    if (number < 1 || number > count)
        throw BadParameter("--reference " + std::to_string(number) + ": the series has frames 1 to " +
                           std::to_string(count));
    return number - 1;
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
            entry["gain"] = own.gain;
            entry["residual_px"] = own.residual_px;
            if (!own.registered) {
                entry["used"] = false;
                entry["problem"] = own.problem;
            }
        }
        frames.push_back(std::move(entry));
    }
    return frames;
}

double peak_memory_mb() {
    rusage usage{};
    getrusage(RUSAGE_SELF, &usage);
    return double(usage.ru_maxrss) / 1024;
}

}  // namespace moorhaze::cli
