// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <CLI/CLI.hpp>
#include <filesystem>
#include <nlohmann/json.hpp>
#include <string>
#include <vector>

#include "core/project/edits.h"
#include "core/project/look_into.h"
#include "core/series/card.h"
#include "core/series/series.h"

/// Private to the command line: what its commands share. Exit codes: 0 done, 1 the work failed, 2 wrong use.
namespace moorhaze::cli {

/// Options of every command.
struct Common {
    bool quiet = false;
};

/// Decoded frames that strokes come from are kept up to so many bytes.
inline constexpr std::size_t kStrokeFrameBytes = std::size_t(800) << 20;

/// Adds a command; `run` is called when it was chosen, and its exceptions become one line on stderr and
/// exit 1.
CLI::App* add_inspect(CLI::App& app, const Common& common);
CLI::App* add_align(CLI::App& app, const Common& common);
CLI::App* add_merge(CLI::App& app, const Common& common);
CLI::App* add_mend(CLI::App& app, const Common& common);
CLI::App* add_finish(CLI::App& app, const Common& common);
CLI::App* add_plan(CLI::App& app, const Common& common);
CLI::App* add_run(CLI::App& app, const Common& common);
CLI::App* add_simulate(CLI::App& app, const Common& common);
CLI::App* add_spin(CLI::App& app, const Common& common);

/// Asks the work to stop when the person does (Ctrl+C, or a signal to end); a second time ends at once.
/// Called before any other thread is there; every command's work asks it.
std::stop_token stopped_by_signals();

/// Files that are only read, until the program ends: frames, pictures and projects that were named.
void protect(const std::vector<std::filesystem::path>& files);

/// Refuses to begin where what shall be written is an original, or is there and may not be replaced.
/// @param files  empty names are passed over.   @throws FileError.
void check_targets(const std::vector<std::string>& files, bool overwrite);

/// Progress on stderr: one line, rewritten; nothing when quiet.
class ProgressLine {
  public:
    ProgressLine(std::string what, const Common& common);
    ProgressLine(const ProgressLine&) = delete;
    ProgressLine& operator=(const ProgressLine&) = delete;
    ~ProgressLine();
    Job job() const;

  private:
    std::string what_;
    bool quiet_;
};

/// Seconds since its making.
class Clock {
  public:
    double seconds() const;

  private:
    std::chrono::steady_clock::time_point start_ = std::chrono::steady_clock::now();
};

/// FRAMES and which series of them is meant.
struct FramesArgument {
    std::vector<std::string> files;
    int series = 0;           ///< counts from 1; 0: the only one
    Development development;  ///< typed values replace those of the middle frame
    std::string demosaic;
    void add_to(CLI::App& command);
};

/// Opens one series and says its problems and notes on stderr. Files that are named one by one are one
/// series; a folder that holds several needs a choice.
/// @throws FileError, BadParameter.
OpenedSeries open_and_report(const FramesArgument& frames, const Common& common);
/// The same for all series that are found.
std::vector<OpenedSeries> open_all_and_report(const FramesArgument& frames, const Common& common,
                                              std::vector<FoundSeries>& found);

/// Looks into a series; frames that cannot be read are reported on stderr and added to `problems`.
/// @param cache, shelf  may be null.
Looked look_and_report(const Series& series, const ProfileCache* cache, FrameShelf* shelf,
                       std::vector<std::string>& problems, const Job& job);
/// What the person typed about a series, as a project: nothing but its frames so far.
Project project_of(const Series& series);

/// `A-B` or `A`, counted from 1. @throws BadParameter.
FrameRange parse_range(const std::string& text, int count);
/// The frame of a number given from 1; nothing for 0. @throws BadParameter naming the option.
std::optional<FrameId> frame_numbered(int number, const Project& project, const char* option);

/// What the JSON report says of each frame.
nlohmann::json frames_json(const Series& series, const SeriesProfile& profile,
                           const SeriesGeometry& geometry);
/// The dust that is mended in every frame.
nlohmann::json dust_json(const SeriesGeometry& geometry);
/// Lets --dust auto|off be typed.
void add_dust_option(CLI::App& command, std::optional<bool>& mend_dust);
double peak_memory_mb();

}  // namespace moorhaze::cli
