// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/sets/cluster_job.h"

#include <algorithm>
#include <cmath>

#include "core/files/safe_write.h"

namespace moorhaze {
namespace {

namespace fs = std::filesystem;

constexpr double kProcessBytes = 150e6;
/// A pixel, when a picture is finished and written: the merge's planes, picture, levels, output.
constexpr double kFinishBytes = 60;
constexpr double kMore = 1.2;
constexpr double kMegabyte = 1024 * 1024;

}  // namespace

std::string quoted_for_shell(const std::string& text) {
    const char* plain = "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789_-./,:+=@%";
    if (!text.empty() && text.find_first_not_of(plain) == std::string::npos) return text;
    std::string safe = "'";
    for (const char letter : text) safe += letter == '\'' ? std::string("'\\''") : std::string(1, letter);
    return safe + "'";
}

ClusterTask cluster_task(const SetPlan& plan, const RunSettings& settings) {
    ClusterTask task;
    double seconds = 0, bytes = 0;
    for (const SetSeries& series : plan.series) {
        const PictureInfo& info = series.frames.front().info;
        const double pixels = double(info.width) * info.height;
        const double decoded = 2 * pixels * 3 * (info.bits > 8 ? 2 : 1);
        double merging = 0;
        for (const MergeChoice& choice : merges_of(plan.recipe, {}))
            merging = std::max(merging, merge_method(choice.method).bytes_per_px * pixels);
        if (settings.memory_bytes > 0) merging = std::min(merging, double(settings.memory_bytes));
        bytes = std::max(bytes, kProcessBytes + decoded + std::max(merging, kFinishBytes * pixels));
        seconds = std::max(seconds, guessed_seconds(series) * double(merges_of(plan.recipe, {}).size()));
    }
    task.memory_mb = int(std::ceil(kMore * bytes / kMegabyte));
    task.minutes = int(std::ceil(10 * seconds / 60)) + 5;
    return task;
}

ClusterScripts write_cluster_scripts(const SetPlan& plan, const std::vector<std::string>& commands,
                                     const std::string& collect, const RunSettings& settings) {
    const fs::path folder = fs::absolute(set_folder(plan.out) / "cluster").lexically_normal();
    std::error_code failed;
    fs::create_directories(folder, failed);
    std::string list;
    for (const std::string& command : commands) list += command + "\n";
    const fs::path commands_file = folder / "commands.txt";
    write_text_file(commands_file, list, true);
    const ClusterTask task = cluster_task(plan, settings);
    const std::string count = std::to_string(commands.size());
    ClusterScripts scripts{folder / "series.sh", folder / "table.sh", int(commands.size())};
    // Lines of #SBATCH are read to their end as they are: names with spaces stand in quotes.
    write_text_file(scripts.series,
                    "#!/bin/bash\n"
                    "#SBATCH --job-name=moorhaze\n"
                    "#SBATCH --array=1-" +
                        count +
                        "\n"
                        "#SBATCH --ntasks=1\n"
                        "#SBATCH --mem=" +
                        std::to_string(task.memory_mb) +
                        "M\n"
                        "#SBATCH --time=" +
                        std::to_string(task.minutes) +
                        "\n"
                        "#SBATCH --requeue\n"
                        "#SBATCH --output=\"" +
                        (folder / "task-%a.log").string() +
                        "\"\n"
                        "eval \"$(sed -n \"${SLURM_ARRAY_TASK_ID}p\" " +
                        quoted_for_shell(commands_file.string()) + ")\"\n",
                    true);
    write_text_file(scripts.table,
                    "#!/bin/bash\n"
                    "#SBATCH --job-name=moorhaze-table\n"
                    "#SBATCH --ntasks=1\n"
                    "#SBATCH --mem=" +
                        std::to_string(plan.recipe.turntable ? task.memory_mb : 300) +
                        "M\n"
                        "#SBATCH --time=" +
                        std::to_string(plan.recipe.turntable ? task.minutes : 10) +
                        "\n"
                        "#SBATCH --output=\"" +
                        (folder / "table.log").string() + "\"\n" + collect + "\n",
                    true);
    return scripts;
}

}  // namespace moorhaze
