// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <condition_variable>
#include <deque>
#include <functional>
#include <mutex>
#include <thread>

namespace moorhaze::desktop {

/// One thread that does pieces of work one after the other; it is started with the first. `run` and the
/// waits are for the thread that owns it.
class Worker {
  public:
    Worker() = default;
    Worker(const Worker&) = delete;
    Worker& operator=(const Worker&) = delete;
    /// Waits for the work under way; what has not begun is dropped.
    ~Worker();

    /// @param work  must not throw.
    void run(std::function<void()> work);
    /// Waits until all that was asked for is done.
    void wait_until_idle();

  private:
    void work_on();

    std::mutex guard_;
    std::condition_variable changed_;
    std::deque<std::function<void()>> waiting_;
    bool is_working_ = false, ends_ = false;
    std::thread thread_;
};

}  // namespace moorhaze::desktop
