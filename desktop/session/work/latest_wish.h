// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QObject>
#include <functional>
#include <stop_token>

#include "core/work/job.h"
#include "desktop/session/work/run_beside.h"

namespace moorhaze::desktop {

/// Work for what is on the screen, beside the interface: only the newest wish counts. A wish that is replaced
/// while it runs is stopped, and neither of its answers comes; one that waits is forgotten. After a failure
/// the next wish is taken as after any other. In the interface's thread; it waits for nothing but at its end.
/// Where wishes follow a moving hand, the one that runs may come to its end all the same: otherwise nothing
/// would be seen before the hand rests.
class LatestWish : public QObject {
    Q_OBJECT
  public:
    enum class Replaced { stops, comes_to_its_end };
    explicit LatestWish(Replaced replaced = Replaced::stops, QObject* parent = nullptr)
        : QObject(parent), replaced_(replaced) {}
    ~LatestWish() override { drop(); }

    /// @param work    called in another thread with a Job that is stopped when another wish comes.
    /// @param done    gets its value, in this thread.
    /// @param failed  gets what it threw, but for Cancelled.
    template <class Work, class Done, class Failed>
    void want(Work work, Done done, Failed failed) {
        if (replaced_ == Replaced::stops) stop_.request_stop();
        waiting_ = [this, work = std::move(work), done = std::move(done), failed = std::move(failed)] {
            stop_ = {};
            working_ = true;
            run_beside(
                worker_, mailbox_, [work, job = Job{stop_.get_token(), {}}] { return work(job); },
                [this, done, stop = stop_.get_token()](const auto& value) {
                    working_ = false;
                    if (!stop.stop_requested()) done(value);
                    begin_next();
                },
                [this, failed, stop = stop_.get_token()](const std::exception& error) {
                    working_ = false;
                    const bool cancelled = dynamic_cast<const Cancelled*>(&error) != nullptr;
                    if (!cancelled && !stop.stop_requested()) failed(error);
                    begin_next();
                });
        };
        begin_next();
    }

    /// What was wished for is wanted no longer.
    void drop() {
        stop_.request_stop();
        waiting_ = nullptr;
    }
    /// The same, and waits for the work under way: for closing. Its answer may still come.
    void drop_and_wait() {
        drop();
        worker_.wait_until_idle();
    }
    /// True while work is under way or waits, wanted or not.
    bool is_busy() const { return working_ || waiting_; }

    /// Where work under way posts what it has so far: its steps are called in this thread, before its answer.
    Mailbox::Slot slot() const { return mailbox_.slot(); }

  signals:
    void idle();  ///< nothing is under way any more

  private:
    void begin_next() {
        if (working_) return;
        if (!waiting_) {
            emit idle();
            return;
        }
        const auto next = std::exchange(waiting_, nullptr);
        next();
    }

    const Replaced replaced_;
    std::stop_source stop_;
    std::function<void()> waiting_;
    bool working_ = false;
    Mailbox mailbox_;
    Worker worker_;  ///< the first to go: it waits for what is under way
};

}  // namespace moorhaze::desktop
