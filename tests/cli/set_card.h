// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <csignal>
#include <functional>
#include <thread>
#include <vector>

#include "tests/support/card_files.h"
#include "tests/support/scratch.h"

namespace moorhaze::test {

inline constexpr const char* kSetRecipe =
    R"({"moorhaze_recipe": 1, "merge": [{"method": "depth", "detail_size_px": 3}],
    "hand_over": {"outputs": [{"format": "tiff", "bits": 16, "name": "{series}"}]},
    "doubts": {"gap_steps": 1000, "residual_px": 100}})";

/// A card of some series and a recipe, which sets are run on.
struct SetCard {
    Scratch scratch;
    explicit SetCard(const std::vector<std::string>& names, cv::Size size = {120, 80}, int frames = 4) {
        write_card(scratch / "card", names, size, frames);
        write_all(scratch / "recipe.json", kSetRecipe);
    }
    std::string path(const std::string& name) const { return (scratch / name).string(); }
    Ran run(const std::string& more, const std::string& out = "out") const {
        return test::run(std::string(MOORHAZE_CLI) + " run " + path("recipe.json") + " " + path("card") +
                         " --out '" + path(out) + "' " + more);
    }
    std::map<std::string, std::string> pictures(const std::string& out) const {
        auto contents = contents_of(scratch / out);
        std::erase_if(contents, [](const auto& file) { return file.first.starts_with("moorhaze-set"); });
        return contents;
    }
    /// How many pictures are finished there, also while a program is writing more.
    size_t pictures_so_far(const std::string& out) const {
        std::error_code not_there_yet;
        const std::filesystem::directory_iterator entries(scratch / out, not_there_yet);
        return size_t(std::ranges::count_if(entries, [](const auto& entry) {
            return !entry.is_directory() && !entry.path().filename().string().starts_with(".moorhaze-");
        }));
    }
    /// Of `contents`, what a killed program had not finished writing left out.
    static std::map<std::string, std::string> finished(std::map<std::string, std::string> contents) {
        std::erase_if(contents, [](const auto& file) { return file.first.starts_with(".moorhaze-"); });
        return contents;
    }
};

/// The program, running beside the test.
class Started {
  public:
    explicit Started(const std::vector<std::string>& arguments) : process_(fork()) {
        if (process_ != 0) return;
        std::vector<char*> list;
        for (const std::string& own : arguments) list.push_back(const_cast<char*>(own.c_str()));
        list.push_back(nullptr);
        execv(list[0], list.data());
        _exit(127);
    }
    ~Started() {
        if (process_ > 0) end(SIGKILL);
    }
    /// Sends a signal (0: none) and waits; the exit code, or -1 where it did not end by itself.
    int end(int signal) {
        kill(process_, signal);
        int status = 0;
        waitpid(process_, &status, 0);
        process_ = -1;
        return WIFEXITED(status) ? WEXITSTATUS(status) : -1;
    }

    /// Waits until it is so, or until the program has ended by itself; whether it is so. What is done to a
    /// running program hangs on what it has reached, never on a time that a slower machine needs longer for.
    bool has_come_to(const std::function<bool()>& so) const {
        siginfo_t ended{};
        while (!so() && ended.si_pid == 0) {
            std::this_thread::sleep_for(std::chrono::milliseconds(2));
            waitid(P_PID, id_t(process_), &ended, WEXITED | WNOHANG | WNOWAIT);
        }
        return so();
    }

  private:
    pid_t process_;
};

}  // namespace moorhaze::test
