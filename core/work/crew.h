// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <algorithm>
#include <condition_variable>
#include <deque>
#include <functional>
#include <mutex>
#include <thread>
#include <vector>

namespace moorhaze {

/// Threads that lend a hand to whoever has rows to do: the standard library's, so that ThreadSanitizer, which
/// cannot see into a library of threads, sees each of them. They stay for as long as the program runs, since
/// a merge has tens of thousands of loops. Safe from any thread, and from within a loop.
class Crew {
  public:
    static Crew& of_the_program() {
        static Crew crew;
        return crew;
    }

    /// Calls `share` here and, where somebody is free, in other threads at the same time; returns when all of
    /// these calls have returned. `share` throws nothing and returns at once when nothing is left to do.
    void help_with(const std::function<void()>& share) {
        Loop loop{&share, 0};
        {
            const std::lock_guard lock(guard_);
            open_.push_back(&loop);
        }
        changed_.notify_all();
        share();
        std::unique_lock lock(guard_);
        std::erase(open_, &loop);
        changed_.wait(lock, [&] { return loop.helpers == 0; });
    }

  private:
    struct Loop {
        const std::function<void()>* share;
        int helpers;
    };

    Crew() {
        const int count = std::max(2, int(std::thread::hardware_concurrency()));
        for (int i = 0; i < count; ++i)
            hands_.emplace_back([this](const std::stop_token& stop) { help(stop); });
    }

    ~Crew() {
        for (std::jthread& hand : hands_) hand.request_stop();
        hands_.clear();
    }

    void help(const std::stop_token& stop) {
        std::unique_lock lock(guard_);
        while (changed_.wait(lock, stop, [&] { return !open_.empty(); })) {
            // Each loop is taken by one hand beside its own thread.
            Loop* const loop = open_.front();
            open_.pop_front();
            ++loop->helpers;
            lock.unlock();
            (*loop->share)();
            lock.lock();
            --loop->helpers;
            changed_.notify_all();
        }
    }

    std::mutex guard_;
    std::condition_variable_any changed_;
    std::deque<Loop*> open_;  ///< loops that nobody helps with yet
    std::vector<std::jthread> hands_;
};

}  // namespace moorhaze
