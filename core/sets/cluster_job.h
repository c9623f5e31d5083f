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
    std::filesystem::path series, table;  ///< to be given to sbatch
    int tasks = 0;
};

/// Writes the scripts and the list of commands into the run's folder, in a folder of their own.
/// @param commands  one a series, each independent of the others.
/// @param collect   the command that writes the table.
/// @throws FileError.
ClusterScripts write_cluster_scripts(const SetPlan& plan, const std::vector<std::string>& commands,
                                     const std::string& collect, const RunSettings& settings);

/// A text as one word of a shell (POSIX).
std::string quoted_for_shell(const std::string& text);

}  // namespace moorhaze
