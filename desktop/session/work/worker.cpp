// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/work/worker.h"

namespace moorhaze::desktop {

Worker::~Worker() {
    {
        const std::lock_guard lock(guard_);
        ends_ = true;
        waiting_.clear();
    }
    changed_.notify_all();
    if (thread_.joinable()) thread_.join();
}

void Worker::run(std::function<void()> work) {
    {
        const std::lock_guard lock(guard_);
        waiting_.push_back(std::move(work));
    }
    changed_.notify_all();
    if (!thread_.joinable()) thread_ = std::thread(&Worker::work_on, this);
}

void Worker::wait_until_idle() {
    std::unique_lock lock(guard_);
    changed_.wait(lock, [this] { return !is_working_ && waiting_.empty(); });
}

void Worker::work_on() {
    std::unique_lock lock(guard_);
    while (true) {
        changed_.wait(lock, [this] { return ends_ || !waiting_.empty(); });
        if (ends_) return;
        std::function<void()> work = std::move(waiting_.front());
        waiting_.pop_front();
        is_working_ = true;
        lock.unlock();
        work();
        work = nullptr;  // what it holds goes in this thread, before it counts as done
        lock.lock();
        is_working_ = false;
        changed_.notify_all();
    }
}

}  // namespace moorhaze::desktop
