// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/sets/run_series.h"

/// A set as a job array for Slurm (sbatch(1), version 20 and newer): one task a series, and a job behind it
/// that writes the table.
namespace moorhaze {

/// What a task asks for.
struct ClusterTask {
    int memory_mb = 0;
    int minutes = 0;
};
/// Of the largest series: what merging and finishing it takes, and a fifth more; ten times what it would take
/// here, as machines differ.
ClusterTask cluster_task(const SetPlan& plan, const RunSettings& settings);

struct ClusterScripts {
    std::filesystem::path series, table;          ///< to be given to sbatch
    std::filesystem::path series_log, table_log;  ///< for its --output; %a in the first is the task's number
    int tasks = 0;
};

/// The words of a command behind the program's name, byte by byte as they shall arrive.
using Words = std::vector<std::string>;

/// Writes the scripts, and the commands as a file of tasks, into the run's folder, in a folder of their own.
/// Names of folders go into no line of the scripts but the program's and the file's own, quoted.
/// @param program   that runs the commands.
/// @param commands  one a series, each independent of the others; may be empty where only the table is
/// wanted.
/// @param collect   the command that writes the table.
/// @param joint     the table's job does as much as a series' does (all views of a turntable).
/// @throws FileError.
ClusterScripts write_cluster_scripts(const std::filesystem::path& set_folder, const ClusterTask& task,
                                     const std::string& program, const std::vector<Words>& commands,
                                     const Words& collect, bool joint);

/// A file of tasks: of each the number of its words and the words, all ended by a NUL, which no word holds.
std::string tasks_text(const std::vector<Words>& commands);
/// The words of one task.
/// @param number  counts from 1.   @throws FileError for a file that cannot be read, is none, or has no such
/// task.
Words task_of(const std::filesystem::path& file, int number);

/// A text as one word of a shell: in one line, also where it holds a line's end ($'...', as bash, zsh, ksh
/// and POSIX.1-2024 read it).
std::string quoted_for_shell(const std::string& text);

}  // namespace moorhaze
