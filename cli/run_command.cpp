// SPDX-License-Identifier: GPL-3.0-or-later
#include <signal.h>

#include <algorithm>
#include <cstdio>
#include <iostream>
#include <mutex>
#include <thread>

#include "cli/commands.h"
#include "core/project/project_folder.h"
#include "core/sets/cluster_job.h"
#include "core/sets/outcome.h"
#include "core/sets/run_arriving.h"

namespace moorhaze::cli {
namespace {

struct RunArguments {
    std::string recipe;
    std::vector<std::string> files;
    std::string out = "finished";
    std::vector<int> only;
    std::string name;
    int number = 1, memory_mb = 0;
    double quiet_s = 30;
    std::string cluster_options;
    bool dry_run = false, list = false, slurm = false, watch = false, collect = false, overwrite = false;
};

/// Asks the work to stop when the person does (Ctrl+C, or a signal to end); a second time ends at once.
std::stop_token stopped_by_signals() {
    static std::stop_source source;
    static std::once_flag once;
    std::call_once(once, [] {
        sigset_t signals;
        sigemptyset(&signals);
        sigaddset(&signals, SIGINT);
        sigaddset(&signals, SIGTERM);
        pthread_sigmask(SIG_BLOCK, &signals, nullptr);  // before any other thread is there
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

Recipe recipe_named(const std::string& file) {
    if (is_project(file)) return recipe_of(open_project(project_file(file), {}).saved.project);
    return read_recipe(file);
}

std::string program() {
    return quoted_for_shell(std::filesystem::read_symlink("/proc/self/exe").string());
}

/// One command that does one series, whatever else runs and wherever.
std::string command_for(const RunArguments& arguments, const SetSeries& series) {
    namespace fs = std::filesystem;
    std::string command =
        program() + " run " + quoted_for_shell(fs::absolute(arguments.recipe).string()) + " --quiet --out " +
        quoted_for_shell(fs::absolute(arguments.out).lexically_normal().string()) + " --as " +
        quoted_for_shell(series.name) + " --number " + std::to_string(series.number);
    if (arguments.overwrite) command += " --overwrite";
    if (arguments.memory_mb > 0) command += " --memory " + std::to_string(arguments.memory_mb);
    for (const Frame& frame : series.frames)
        command += " " + quoted_for_shell(fs::absolute(frame.path).string());
    return command;
}

/// What a command prints, without the line's end.   @throws Error with what it says where it fails.
std::string output_of(const std::string& command) {
    FILE* pipe = popen((command + " 2>&1").c_str(), "r");
    if (!pipe) throw Error("no process can be started");
    std::string text;
    char buffer[4096];
    while (const std::size_t got = fread(buffer, 1, sizeof buffer, pipe)) text.append(buffer, got);
    while (!text.empty() && text.back() == '\n') text.pop_back();
    if (pclose(pipe) != 0)
        throw Error("Slurm does not take the job (" + text +
                    "). Check that this machine may submit jobs; --list works without Slurm.");
    return text;
}

/// Submits the series that are not done yet as a job array, and the table behind them.
void submit(const RunArguments& arguments, SetPlan plan, const RunSettings& settings) {
    write_set_list(plan);
    std::erase_if(plan.series, [&](const SetSeries& own) {
        return state_of(plan, own, frame_keys(own, {}), true).is_made();
    });
    if (plan.series.empty()) {
        write_outcome(set_folder(plan.out));
        std::cout << "all series are done already\n";
        return;
    }
    std::vector<std::string> commands;
    for (const SetSeries& own : plan.series) commands.push_back(command_for(arguments, own));
    const std::string out =
        " --out " + quoted_for_shell(std::filesystem::absolute(arguments.out).lexically_normal().string());
    std::string collect = program() + " run --collect" + out;
    if (plan.recipe.turntable) {  // all views together are one more piece of work
        collect = program() + " run --quiet " +
                  quoted_for_shell(std::filesystem::absolute(arguments.recipe).string()) + out;
        for (const std::string& file : arguments.files)
            collect += " " + quoted_for_shell(std::filesystem::absolute(file).string());
    }
    const ClusterScripts scripts = write_cluster_scripts(plan, commands, collect, settings);
    const std::string sbatch = "sbatch --parsable ";
    const std::string array =
        output_of(sbatch + arguments.cluster_options + " " + quoted_for_shell(scripts.series.string()));
    const std::string id = array.substr(0, array.find(';'));  // a federation adds its cluster's name
    const std::string table = output_of(sbatch + arguments.cluster_options + " --dependency=afterany:" + id +
                                        " " + quoted_for_shell(scripts.table.string()));
    const ClusterTask task = cluster_task(plan, settings);
    std::cout << scripts.tasks << " series submitted as job " << id << " (each " << task.memory_mb
              << " MB, at most " << task.minutes << " min), the table follows as job " << table << "\n"
              << "see:    squeue --jobs=" << id << "," << table << "\n"
              << "cancel: scancel " << id << " " << table << "\n"
              << "table:  " << (set_folder(plan.out) / "outcome.html").string() << "\n";
}

void print_dry_run(const SetPlan& plan, bool overwrite) {
    for (const RecipePart part : kRecipeParts)
        if (carries(plan.recipe, part))
            std::printf("%-26s %s\n", title_of(part), in_words(plan.recipe, part).c_str());
    double seconds = 0;
    for (const SetSeries& series : plan.series) {
        const PictureInfo& info = series.frames.front().info;
        const SeriesRecord state = state_of(plan, series, frame_keys(series, {}), overwrite);
        std::printf("%3d  %s: %zu frames, %dx%d%s%s\n", series.number, series.name.c_str(),
                    series.frames.size(), info.width, info.height,
                    series.reason.empty() ? "" : (", " + series.reason).c_str(),
                    state.is_made() ? ", done already" : "");
        for (const SetFile& file : files_of(plan, series, info.shooting, {info.width, info.height}))
            std::printf("     -> %s\n", file.path.string().c_str());
        for (const std::string& reason : state.reasons) std::printf("     ! %s\n", reason.c_str());
        if (!state.is_made()) seconds += guessed_seconds(series);
    }
    std::printf("%zu series, about %s\n", plan.series.size(), duration_in_words(seconds).c_str());
}

/// One rewritten line of progress, and a line for each series that is done.
class RunLines {
  public:
    SetEvents events() {
        SetEvents events;
        events.on_progress = [this](const SetProgress& progress) { show(progress); };
        events.on_series = [this](int, const SeriesRecord& record) { tell(record); };
        return events;
    }

  private:
    void show(const SetProgress& progress) {
        const std::lock_guard lock(guard_);
        const int place = std::min(progress.place + 1, progress.count);
        const std::string line = std::to_string(place) + " of " + std::to_string(progress.count) + ", " +
                                 progress.name + ": " + progress.step + ", " +
                                 std::to_string(int(100 * progress.fraction)) + " % of all, " +
                                 duration_in_words(progress.seconds_left) + " left";
        if (line == shown_) return;
        shown_ = line;
        std::fprintf(stderr, "\r%s", padded(line).c_str());
    }
    void tell(const SeriesRecord& record) {
        const std::lock_guard lock(guard_);
        std::string line = record.name + ": " + words_for(record.state);
        for (const std::string& reason : record.reasons) line += "; " + reason;
        std::fprintf(stderr, "\r%s\n", padded(line).c_str());
    }
    /// As wide as what it covers.
    std::string padded(std::string line) {
        widest_ = std::max(widest_, line.size());
        line.resize(widest_, ' ');
        return line;
    }

    std::mutex guard_;
    std::size_t widest_ = 0;
    std::string shown_;
};

void watch(const RunArguments& arguments, const Recipe& recipe, const RunSettings& settings,
           const Common& common, std::stop_token stop) {
    if (arguments.files.size() != 1) throw BadParameter("--watch takes one folder");
    ArrivingSeries arriving(arguments.files[0], arguments.quiet_s);
    RunLines lines;
    ArrivingEvents events;
    if (!common.quiet) {
        events.set = lines.events();
        std::cerr << "moorhaze-cli: waiting for series in " << arguments.files[0] << "\n";
    }
    try {
        run_arriving(arriving, {recipe, parse_out(arguments.out), {}, {}, {}}, settings, events, {stop, {}});
    } catch (const Cancelled&) {
        // What was begun goes on at the next start.
    }
}

void run_recipe(const RunArguments& arguments, const Common& common) {
    const OutPattern out = parse_out(arguments.out);
    if (arguments.collect) {
        write_outcome(set_folder(out));
        std::cout << table_of(read_records(set_folder(out)));
        return;
    }
    if (arguments.recipe.empty() || arguments.files.empty())
        throw BadParameter("name a recipe, and the folders whose series shall be worked on");
    const std::stop_token stop = stopped_by_signals();
    const Recipe recipe = recipe_named(arguments.recipe);
    const RunSettings settings{arguments.overwrite, std::size_t(arguments.memory_mb) << 20};
    if (arguments.watch) return watch(arguments, recipe, settings, common, stop);

    const std::vector<std::filesystem::path> files(arguments.files.begin(), arguments.files.end());
    if (!arguments.name.empty()) {
        const SetPlan plan =
            plan_one_series(recipe, files, arguments.name, arguments.number, out, {stop, {}});
        const SeriesRecord record = run_series(plan, plan.series[0], settings, {}, {stop, {}});
        if (!common.quiet) std::cout << table_of({record});
        if (record.state == SeriesState::failed) throw Error(record.name + ": " + record.reasons[0]);
        return;
    }
    SetPlan plan;
    {
        const ProgressLine line("reading", common);
        Job job = line.job();
        job.stop = stop;
        plan = plan_set(recipe, files, out, job);
    }
    for (const std::string& problem : plan.problems) std::cerr << "moorhaze-cli: " << problem << "\n";
    if (!common.quiet)
        for (const std::string& note : plan.notes) std::cerr << "moorhaze-cli: note: " << note << "\n";
    if (!arguments.only.empty()) {
        for (const int number : arguments.only)
            if (number < 1 || number > int(plan.series.size()))
                throw BadParameter("--only " + std::to_string(number) + ": " +
                                   std::to_string(plan.series.size()) + " series were found");
        std::erase_if(plan.series, [&](const SetSeries& own) {
            return std::find(arguments.only.begin(), arguments.only.end(), own.number) ==
                   arguments.only.end();
        });
    }
    if (arguments.dry_run) return print_dry_run(plan, arguments.overwrite);
    if (arguments.list) {
        for (const SetSeries& series : plan.series) std::cout << command_for(arguments, series) << "\n";
        return;
    }
    if (arguments.slurm) return submit(arguments, std::move(plan), settings);
    bool all_made = false;
    try {
        RunLines lines;
        const auto records = run_set(plan, settings, common.quiet ? SetEvents() : lines.events(), {stop, {}});
        all_made = std::none_of(records.begin(), records.end(),
                                [](const SeriesRecord& own) { return own.state == SeriesState::failed; });
    } catch (const Cancelled&) {
        throw Error("stopped; the same command goes on where it was");
    }
    const auto folder = set_folder(out);
    if (!common.quiet) {
        std::cout << table_of(read_records(folder));
        std::cerr << "moorhaze-cli: the table is in " << (folder / "outcome.html").string() << "\n";
    }
    if (!all_made) throw Error(summary_of(read_records(folder)));
}

}  // namespace

CLI::App* add_run(CLI::App& app, const Common& common) {
    auto* command = app.add_subcommand("run", "Does for many series what a recipe says, unattended");
    auto arguments = std::make_shared<RunArguments>();
    command->add_option("RECIPE", arguments->recipe, "A recipe, or a project whose decisions shall be one");
    command->add_option("DIRS", arguments->files, "Folders and cards with series, or files");
    command
        ->add_option("--out", arguments->out,
                     "Where the pictures go: a folder, or with names: finished/{article}-{number}")
        ->default_str("finished");
    command->add_flag("--dry-run", arguments->dry_run, "Say what would be done, and do nothing");
    command->add_flag("--list", arguments->list,
                      "Print one independent command a series, for any queue or runner of commands");
    command->add_flag("--slurm", arguments->slurm,
                      "Submit the series to Slurm as a job array, and a job that writes the table");
    command->add_option("--slurm-options", arguments->cluster_options,
                        "With --slurm: given on to sbatch, say \"--partition=day --cpus-per-task=8\"");
    command->add_flag("--watch", arguments->watch,
                      "Work on series as they arrive in a folder, until it is stopped");
    command
        ->add_option("--quiet-for", arguments->quiet_s,
                     "With --watch: a series is whole when nothing arrived for so many seconds")
        ->check(CLI::Range(1.0, 86400.0))
        ->default_str("30");
    command->add_flag("--collect", arguments->collect,
                      "Write the table of what was done under --out, and do nothing else");
    command->add_option("--only", arguments->only, "Only these series, by their numbers in --dry-run")
        ->delimiter(',');
    command->add_flag("--overwrite", arguments->overwrite,
                      "Replace pictures of these names that the recipe did not make");
    command->add_option("--memory", arguments->memory_mb, "Megabytes to keep a merge within")
        ->check(CLI::PositiveNumber);
    command->add_option("--as", arguments->name, "All files named are one series of this name");
    command->add_option("--number", arguments->number, "With --as: its {number}")->check(CLI::PositiveNumber);
    command->callback([arguments, &common] { run_recipe(*arguments, common); });
    return command;
}

}  // namespace moorhaze::cli
