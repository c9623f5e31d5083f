// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/work/job_runner.h"

#include <algorithm>
#include <atomic>

namespace moorhaze::desktop {

JobRunner::~JobRunner() {
    cancel_and_wait();
}

double JobRunner::seconds_left() const {
    const double passed = double(clock_.elapsed()) / 1000;
    if (!active_ || fraction_ < 0.05 || passed < 0.5) return -1;
    return passed * (1 - fraction_) / fraction_;
}

void JobRunner::cancel() {
    const std::deque<Waiting> gone = std::exchange(waiting_, {});
    stop_.request_stop();
    for (const Waiting& own : gone) emit dropped(own.title);
}

void JobRunner::supersede(const QString& title) {
    std::erase_if(waiting_, [&](const Waiting& own) { return own.title == title; });
    if (!active_ || title_ != title) return;
    superseded_ = true;
    stop_.request_stop();
}

void JobRunner::cancel_and_wait() {
    cancel();
    worker_.wait_until_idle();
}

Job JobRunner::make_job() {
    stop_ = std::stop_source{};
    // Progress comes from any thread, maybe thousands of times a second: only visible steps travel on.
    auto last = std::make_shared<std::atomic<int>>(-1);
    return {stop_.get_token(), [this, last, slot = mailbox_.slot(), serial = ++serial_](double fraction) {
                const int step = int(fraction * 200);
                if (last->exchange(step) == step) return;
                slot.post([this, fraction, serial] {
                    if (!active_ || serial != serial_) return;
                    fraction_ = std::max(fraction_, fraction);
                    emit changed();
                });
            }};
}

void JobRunner::start_next() {
    while (!active_ && !waiting_.empty()) {
        const Waiting next = std::move(waiting_.front());
        waiting_.pop_front();
        if (next.title.isEmpty()) {
            next.begin();
            continue;
        }
        active_ = true;
        title_ = next.title;
        yields_ = next.yields;
        superseded_ = false;
        fraction_ = 0;
        clock_.start();
        next.begin();
        emit changed();
    }
}

void JobRunner::finish() {
    active_ = false;
    fraction_ = 0;
    start_next();
    emit changed();
}

}  // namespace moorhaze::desktop
