// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/sets/cluster_job.h"

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <fstream>

#include "core/files/safe_write.h"
#include "core/work/errors.h"

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
    const auto is_control = [](unsigned char letter) { return letter < 32 || letter == 127; };
    const bool in_octal = std::any_of(text.begin(), text.end(), is_control);
    std::string safe = in_octal ? "$'" : "'";
    for (const char letter : text) {
        if (in_octal && (is_control((unsigned char)letter) || letter == '\'' || letter == '\\')) {
            char code[8];
            std::snprintf(code, sizeof code, "\\%03o", unsigned((unsigned char)letter));
            safe += code;
        } else {
            safe += letter == '\'' ? std::string("'\\''") : std::string(1, letter);
        }
    }
    return safe + "'";
}

std::string tasks_text(const std::vector<Words>& commands) {
    std::string text;
    for (const Words& words : commands) {
        text += std::to_string(words.size()) + '\0';
        for (const std::string& word : words) text += word + '\0';
    }
    return text;
}

Words task_of(const fs::path& file, int number) {
    std::ifstream in(file, std::ios::binary);
    if (!in) throw FileError(file.string() + ": cannot be read. Submit the set again.");
    const auto next = [&] {
        std::string word;
        if (!std::getline(in, word, '\0') || in.eof())
            throw FileError(file.string() + ": has no task " + std::to_string(number) +
                            ". Submit the set again.");
        return word;
    };
    for (int task = 1;; ++task) {
        const std::string count = next();
        if (count.empty() || count.size() > 6 || count.find_first_not_of("0123456789") != std::string::npos)
            throw FileError(file.string() + ": is no file of tasks. Submit the set again.");
        Words words;
        for (int left = std::stoi(count); left > 0; --left) words.push_back(next());
        if (task == number) return words;
    }
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

ClusterScripts write_cluster_scripts(const fs::path& set_folder, const ClusterTask& task,
                                     const std::string& program, const std::vector<Words>& commands,
                                     const Words& collect, bool joint) {
    const fs::path folder = fs::absolute(set_folder / "cluster").lexically_normal();
    std::error_code failed;
    fs::create_directories(folder, failed);
    const fs::path tasks = folder / "tasks";
    write_text_file(tasks, tasks_text(commands), true);
    ClusterScripts scripts;
    scripts.series = folder / "series.sh";
    scripts.table = folder / "table.sh";
    scripts.series_log = folder / "task-%a.log";
    scripts.table_log = folder / "table.log";
    scripts.tasks = int(commands.size());
    const std::string own_memory = "#SBATCH --mem=" + std::to_string(task.memory_mb) + "M\n",
                      own_time = "#SBATCH --time=" + std::to_string(task.minutes) + "\n";
    write_text_file(scripts.series,
                    "#!/bin/bash\n"
                    "#SBATCH --job-name=moorhaze\n"
                    "#SBATCH --array=1-" +
                        std::to_string(std::max<std::size_t>(1, commands.size())) +
                        "\n"
                        "#SBATCH --ntasks=1\n" +
                        own_memory + own_time +
                        "#SBATCH --requeue\n"
                        "exec " +
                        quoted_for_shell(program) + " run --task \"$SLURM_ARRAY_TASK_ID\" " +
                        quoted_for_shell(tasks.string()) + "\n",
                    true);
    std::string line = "exec " + quoted_for_shell(program);
    for (const std::string& word : collect) line += " " + quoted_for_shell(word);
    write_text_file(scripts.table,
                    "#!/bin/bash\n"
                    "#SBATCH --job-name=moorhaze-table\n"
                    "#SBATCH --ntasks=1\n" +
                        (joint ? own_memory + own_time : "#SBATCH --mem=300M\n#SBATCH --time=10\n") + line +
                        "\n",
                    true);
    return scripts;
}

}  // namespace moorhaze
