// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QElapsedTimer>
#include <QObject>
#include <deque>
#include <functional>
#include <memory>

#include "core/work/job.h"
#include "desktop/session/work/run_beside.h"

namespace moorhaze::desktop {

/// Tells one piece of work from every other, in whatever document it was asked for.
class Ticket {
  public:
    bool operator==(const Ticket&) const = default;

  private:
    std::shared_ptr<const char> own_ = std::make_shared<const char>();
};

/// Runs the long jobs of a session beside the interface, one after the other, in the order they were asked
/// for. Lives in the interface's thread; every signal and every `done` comes in that thread.
class JobRunner : public QObject {
    Q_OBJECT
  public:
    explicit JobRunner(QObject* parent = nullptr) : QObject(parent) {}
    /// @param subject  names what the work is about: where another is the subject when work comes to its end,
    ///                 its `done` is not called, and nobody who asks for work has to look.
    explicit JobRunner(std::function<int()> subject, QObject* parent = nullptr)
        : QObject(parent), subject_(std::move(subject)) {}
    ~JobRunner() override;

    /// @param title  what the person reads while it runs: "merge", "profile".
    /// @param work   called in another thread with a Job; its value goes to `done`.
    /// An exception becomes `failed`, a stop `cancelled`.
    template <class Work, class Done>
    void start(const QString& title, Work work, Done done) {
        make_way();
        waiting_.push_back(waiting_for(title, std::move(work), std::move(done)));
        start_next();
    }

    /// The same for what nobody waits for: only when nothing else runs, and stopped without a word as soon as
    /// anything is asked for.
    /// @return  whether it began.
    template <class Work, class Done>
    bool start_yielding(const QString& title, Work work, Done done) {
        if (active_ || !waiting_.empty()) return false;
        waiting_.push_back(waiting_for(title, std::move(work), std::move(done)));
        waiting_.back().yields = true;
        start_next();
        return true;
    }
    /// The yielding job that runs is wanted now: it yields no longer.
    void keep() { yields_ = false; }
    bool is_yielding() const { return active_ && yields_; }
    bool is_making_way() const { return is_yielding() && stop_.stop_requested(); }
    /// Stops the job that runs if it is a yielding one.
    void make_way() {
        if (active_ && yields_) stop_.request_stop();
    }

    /// The same as start, before everything that waits: for the steps of a `decide`.
    template <class Work, class Done>
    void start_first(const QString& title, Work work, Done done) {
        waiting_.push_front(waiting_for(title, std::move(work), std::move(done)));
        start_next();
    }

    /// Calls `step` in this thread when all earlier jobs are done: what to start may depend on their outcome.
    void decide(std::function<void()> step) {
        make_way();
        waiting_.push_back({{}, std::move(step), false});
        start_next();
    }

    /// The same before everything that waits: within a `decide`, to go on when what it started is done.
    void decide_first(std::function<void()> step) { waiting_.push_front({{}, std::move(step), false}); }

    bool busy() const { return active_; }
    QString title() const { return active_ ? title_ : QString(); }
    double fraction() const { return fraction_; }
    /// Seconds until the end if it goes on as so far; negative while that cannot be said.
    double seconds_left() const;

    /// Asks the running job to stop and drops those that wait, steps to decide among them.
    void cancel();
    /// Stops work of this title without a word, and forgets what waits of it: other work takes its place.
    void supersede(const QString& title);
    /// Waits until nothing runs; for closing the window.
    void cancel_and_wait();

  signals:
    void changed();  ///< another job, more progress, or none
    void failed(QString title, QString why);
    void cancelled(QString title);
    void dropped(QString title);  ///< it waited, and will not begin; empty for a step to decide

  private:
    struct Waiting {
        QString title;
        std::function<void()> begin;
        bool yields = false;
    };
    template <class Work, class Done>
    Waiting waiting_for(const QString& title, Work work, Done done) {
        return {title,
                [this, work = std::move(work), done = std::move(done), about = subject()] {
                    run_beside(
                        worker_, mailbox_, [work, job = make_job()] { return work(job); },
                        [this, done, about](const auto& value) {
                            if (about == subject()) done(value);
                            finish();
                        },
                        [this](const std::exception& error) {
                            if (dynamic_cast<const Cancelled*>(&error)) {
                                if (!yields_ && !superseded_) emit cancelled(title_);
                            } else {
                                emit failed(title_, QString::fromUtf8(error.what()));
                            }
                            finish();
                        });
                },
                false};
    }
    int subject() const { return subject_ ? subject_() : 0; }
    Job make_job();
    void start_next();
    void finish();

    std::function<int()> subject_;
    std::deque<Waiting> waiting_;
    bool active_ = false, yields_ = false, superseded_ = false;
    QString title_;
    double fraction_ = 0;
    QElapsedTimer clock_;
    std::stop_source stop_;
    int serial_ = 0;  ///< of the running job: late progress of an earlier one is recognised
    Mailbox mailbox_;
    Worker worker_;
};

}  // namespace moorhaze::desktop
