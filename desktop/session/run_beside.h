#pragma once
#include <QFuture>
#include <QObject>
#include <QThreadPool>
#include <QtConcurrent>
#include <atomic>
#include <exception>
#include <memory>
#include <tl/expected.hpp>

namespace moorhaze::desktop {

/// What one thread hands to another through Qt's queues. Qt orders both by locks of its own, which the
/// ThreadSanitizer cannot see into (Debian's Qt is not instrumented): this says the same in words that it
/// knows.
class HandOver {
  public:
    void give() const { given_->store(true, std::memory_order_release); }
    void take() const { (void)given_->load(std::memory_order_acquire); }

  private:
    std::shared_ptr<std::atomic<bool>> given_ = std::make_shared<std::atomic<bool>>(false);
};

/// Calls `step` in the thread of `context`, in a later round of its event loop; not at all when it is gone.
template <class Step>
void post(QObject* context, Step step) {
    const HandOver hand_over;
    auto call = std::make_shared<Step>(std::move(step));
    hand_over.give();
    QMetaObject::invokeMethod(
        context,
        [hand_over, call] {
            hand_over.take();
            (*call)();
        },
        Qt::QueuedConnection);
}

/// Runs `work` in the pool, then in the thread of `context` either `done(value)` or `failed(exception)`;
/// neither when `context` is gone. Exceptions travel as values: Qt 6.4 hands them on wrapped, and their type
/// and text are lost.
/// @return  for waiting until the work itself has ended.
template <class Work, class Done, class Failed>
auto run_beside(QThreadPool& pool, QObject* context, Work work, Done done, Failed failed) {
    using Value = std::invoke_result_t<Work>;
    using Ended = tl::expected<Value, std::exception_ptr>;
    const HandOver there, back;
    there.give();
    QFuture<Ended> future = QtConcurrent::run(&pool, [work = std::move(work), there, back]() -> Ended {
        there.take();
        try {
            Ended ended = work();
            back.give();
            return ended;
        } catch (...) {
            back.give();
            return tl::unexpected(std::current_exception());
        }
    });
    future.then(context, [done = std::move(done), failed = std::move(failed), back](const Ended& ended) {
        back.take();
        try {
            if (!ended) std::rethrow_exception(ended.error());
            done(*ended);
        } catch (const std::exception& error) {
            failed(error);
        }
    });
    return future;
}

}  // namespace moorhaze::desktop
