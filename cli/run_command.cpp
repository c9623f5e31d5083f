// SPDX-License-Identifier: GPL-3.0-or-later
#include <fcntl.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstdio>
#include <cstring>
#include <iostream>
#include <mutex>

#include "cli/commands.h"
#include "core/files/protected_files.h"
#include "core/project/project_folder.h"
#include "core/sets/cluster_job.h"
#include "core/sets/outcome.h"
#include "core/sets/run_arriving.h"
#include "core/work/decode_budget.h"
#include "core/work/words.h"

namespace moorhaze::cli {
namespace {

struct RunArguments {
    std::string recipe;
    std::vector<std::string> files;
    std::string out = "finished";
    std::vector<int> only;
    std::string name;
    int number = 1, memory_mb = 0, task = 0;
    double quiet_s = 30;
    std::string cluster_options;
    bool dry_run = false, list = false, slurm = false, watch = false, collect = false, overwrite = false;
};

Recipe recipe_named(const std::string& file) {
    if (is_project(file)) return recipe_of(open_project(project_file(file), {}).saved.project);
    return read_recipe(file);
}

std::string program() {
    return std::filesystem::read_symlink("/proc/self/exe").string();
}

std::string absolute_out(const RunArguments& arguments) {
    return std::filesystem::absolute(arguments.out).lexically_normal().string();
}

/// The words of one command that does one series, whatever else runs and wherever.
Words command_for(const RunArguments& arguments, const SetSeries& series) {
    namespace fs = std::filesystem;
    Words words{"run",
                fs::absolute(arguments.recipe).string(),
                "--quiet",
                "--out",
                absolute_out(arguments),
                "--as=" + series.name,
                "--number",
                std::to_string(series.number)};
    if (arguments.overwrite) words.emplace_back("--overwrite");
    if (arguments.memory_mb > 0) words.insert(words.end(), {"--memory", std::to_string(arguments.memory_mb)});
    for (const Frame& frame : series.frames) words.push_back(fs::absolute(frame.path).string());
    return words;
}

/// The command behind all of them: the table, or of a turntable all views together.
Words joint_command(const RunArguments& arguments, const Recipe& recipe) {
    namespace fs = std::filesystem;
    if (!recipe.turntable) return {"run", "--collect", "--out", absolute_out(arguments)};
    Words words{"run", "--quiet", fs::absolute(arguments.recipe).string(), "--out", absolute_out(arguments)};
    if (arguments.overwrite) words.emplace_back("--overwrite");
    if (arguments.memory_mb > 0) words.insert(words.end(), {"--memory", std::to_string(arguments.memory_mb)});
    for (const int number : arguments.only) words.insert(words.end(), {"--only", std::to_string(number)});
    for (const std::string& file : arguments.files) words.push_back(fs::absolute(file).string());
    return words;
}

/// What a program prints on stdout, without the line's end; no shell comes between.
/// @throws Error with what it says on stderr where it fails.
std::string output_of(const Words& command) {
    int pipe_ends[2];
    FILE* said = std::tmpfile();
    if (!said || pipe2(pipe_ends, O_CLOEXEC) != 0) throw Error("no process can be started");
    posix_spawn_file_actions_t actions;
    posix_spawn_file_actions_init(&actions);
    posix_spawn_file_actions_adddup2(&actions, pipe_ends[1], STDOUT_FILENO);
    posix_spawn_file_actions_adddup2(&actions, fileno(said), STDERR_FILENO);
    std::vector<char*> words;
    for (const std::string& word : command) words.push_back(const_cast<char*>(word.c_str()));
    words.push_back(nullptr);
    pid_t child = 0;
    const int failed = posix_spawnp(&child, words[0], &actions, nullptr, words.data(), environ);
    posix_spawn_file_actions_destroy(&actions);
    close(pipe_ends[1]);
    std::string text;
    char buffer[4096];
    for (ssize_t got = 0; !failed && (got = read(pipe_ends[0], buffer, sizeof buffer)) > 0;)
        text.append(buffer, std::size_t(got));
    close(pipe_ends[0]);
    int status = 0;
    if (!failed) waitpid(child, &status, 0);
    std::string why = failed ? std::string(std::strerror(failed)) : std::string();
    std::rewind(said);
    while (const std::size_t got = std::fread(buffer, 1, sizeof buffer, said)) why.append(buffer, got);
    std::fclose(said);
    if (failed || status != 0)
        throw Error("Slurm does not take the job (" + printable(why) +
                    "). Check that this machine may submit jobs; --list works without Slurm.");
    while (!text.empty() && text.back() == '\n') text.pop_back();
    return text;
}

/// Submits a script.   @return the job's number.   @throws Error.
std::string submitted(const RunArguments& arguments, const std::filesystem::path& script, std::string log,
                      const Words& more) {
    // In the names of logs Slurm takes % for a pattern; %a is one of ours.
    const bool has_number = log.ends_with("task-%a.log");
    if (has_number) log.resize(log.size() - std::strlen("task-%a.log"));
    for (std::size_t at = 0; (at = log.find('%', at)) != std::string::npos; at += 2) log.insert(at, "%");
    if (has_number) log += "task-%a.log";
    Words words{"sbatch", "--parsable", "--output=" + log};
    for (std::string& option : CLI::detail::split_up(arguments.cluster_options))
        words.push_back(std::move(option));
    words.insert(words.end(), more.begin(), more.end());
    words.push_back(script.string());
    const std::string answer = output_of(words);
    const std::string id = answer.substr(0, answer.find(';'));  // a federation adds its cluster's name
    if (id.empty() || id.find_first_not_of("0123456789") != std::string::npos)
        throw Error("Slurm answered with no job's number (" + printable(answer) +
                    "). Look with squeue what it did.");
    return id;
}

/// Submits the series that are not done yet as a job array, and the table behind them.
void submit(const RunArguments& arguments, SetPlan plan, const RunSettings& settings) {
    write_set_list(plan);
    const ClusterTask task = cluster_task(plan, settings);
    std::erase_if(plan.series, [&](const SetSeries& own) {
        return state_of(plan, own, frame_keys(own, {}), true).is_made();
    });
    const bool joint = plan.recipe.turntable.has_value();
    if (plan.series.empty() && !joint) {
        write_outcome(set_folder(plan.out));
        std::cout << "all series are done already\n";
        return;
    }
    std::vector<Words> commands;
    for (const SetSeries& own : plan.series) commands.push_back(command_for(arguments, own));
    const ClusterScripts scripts = write_cluster_scripts(set_folder(plan.out), task, program(), commands,
                                                         joint_command(arguments, plan.recipe), joint);
    const std::string table_file = printable((set_folder(plan.out) / "outcome.html").string());
    if (commands.empty()) {  // all views are merged: only what is done with them together is left
        const std::string table = submitted(arguments, scripts.table, scripts.table_log.string(), {});
        std::cout << "all views are merged already, all of them together follow as job " << table << "\n"
                  << "see:    squeue --jobs=" << table << "\ncancel: scancel " << table
                  << "\ntable:  " << table_file << "\n";
        return;
    }
    const std::string id = submitted(arguments, scripts.series, scripts.series_log.string(), {});
    const std::string table =
        submitted(arguments, scripts.table, scripts.table_log.string(), {"--dependency=afterany:" + id});
    std::cout << scripts.tasks << " series submitted as job " << id << " (each " << task.memory_mb
              << " MB, at most " << task.minutes << " min), the table follows as job " << table << "\n"
              << "see:    squeue --jobs=" << id << "," << table << "\n"
              << "cancel: scancel " << id << " " << table << "\n"
              << "table:  " << table_file << "\n";
}

/// Becomes the command that a file of tasks holds under a number.
[[noreturn]] void do_task(const std::filesystem::path& file, int number) {
    Words words = task_of(file, number);
    const std::string own = program();
    std::vector<char*> pointers{const_cast<char*>(own.c_str())};
    for (std::string& word : words) pointers.push_back(word.data());
    pointers.push_back(nullptr);
    execv(own.c_str(), pointers.data());
    throw Error(own + ": cannot be started (" + std::strerror(errno) + ")");
}

void print_dry_run(const SetPlan& plan, bool overwrite) {
    for (const RecipePart part : kRecipeParts)
        if (carries(plan.recipe, part))
            std::printf("%-26s %s\n", title_of(part), in_words(plan.recipe, part).c_str());
    double seconds = 0;
    for (const SetSeries& series : plan.series) {
        const PictureInfo& info = series.frames.front().info;
        const SeriesRecord state = state_of(plan, series, frame_keys(series, {}), overwrite);
        std::printf("%3d  %s: %zu frames, %dx%d%s%s\n", series.number, printable(series.name).c_str(),
                    series.frames.size(), info.width, info.height,
                    series.reason.empty() ? "" : (", " + series.reason).c_str(),
                    state.is_made() ? ", done already" : "");
        for (const SetFile& file : files_of(plan, series, info.shooting, {info.width, info.height}))
            std::printf("     -> %s\n", printable(file.path.string()).c_str());
        for (const std::string& reason : state.reasons) std::printf("     ! %s\n", printable(reason).c_str());
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
        std::fprintf(stderr, "\r%s", padded(printable(line)).c_str());
    }
    void tell(const SeriesRecord& record) {
        const std::lock_guard lock(guard_);
        std::string line = record.name + ": " + words_for(record.state);
        for (const std::string& reason : record.reasons) line += "; " + reason;
        std::fprintf(stderr, "\r%s\n", padded(printable(line)).c_str());
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
    refuse_pictures_among_frames(parse_out(arguments.out), {arguments.files[0]});
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
    if (arguments.task > 0) do_task(arguments.recipe, arguments.task);
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
    if (settings.memory_bytes > 0) decode_budget().set_bytes(settings.memory_bytes);
    if (arguments.watch) return watch(arguments, recipe, settings, common, stop);

    const std::vector<std::filesystem::path> files(arguments.files.begin(), arguments.files.end());
    if (!arguments.name.empty()) {
        const SetPlan plan =
            plan_one_series(recipe, files, arguments.name, arguments.number, out, {stop, {}});
        for (const std::string& problem : plan.problems)
            std::cerr << "moorhaze-cli: " << printable(problem) << "\n";
        const ProtectedFiles originals(frames_of(plan));
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
    const ProtectedFiles originals(frames_of(plan));
    for (const std::string& problem : plan.problems)
        std::cerr << "moorhaze-cli: " << printable(problem) << "\n";
    if (!common.quiet)
        for (const std::string& note : plan.notes)
            std::cerr << "moorhaze-cli: note: " << printable(note) << "\n";
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
        for (const SetSeries& series : plan.series) {
            std::cout << quoted_for_shell(program());
            for (const std::string& word : command_for(arguments, series))
                std::cout << " " << quoted_for_shell(word);
            std::cout << "\n";
        }
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
    command
        ->add_option(
            "--task", arguments->task,
            "Does what the file named in the recipe's place holds under this number: what --slurm submits")
        ->check(CLI::PositiveNumber);
    command->add_option("--number", arguments->number, "With --as: its {number}")->check(CLI::PositiveNumber);
    command->callback([arguments, &common] { run_recipe(*arguments, common); });
    return command;
}

}  // namespace moorhaze::cli
