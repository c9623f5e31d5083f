#pragma once
#include <QFuture>
#include <QObject>
#include <QThreadPool>
#include <QtConcurrent>
#include <exception>
#include <tl/expected.hpp>

namespace moorhaze::desktop {

/// Runs `work` in the pool, then in the thread of `context` either `done(value)` or `failed(exception)`;
/// neither when `context` is gone. Exceptions travel as values: Qt 6.4 hands them on wrapped, and their type
/// and text are lost.
/// @return  for waiting until the work itself has ended.
template <class Work, class Done, class Failed>
auto run_beside(QThreadPool& pool, QObject* context, Work work, Done done, Failed failed) {
    using Value = std::invoke_result_t<Work>;
    using Ended = tl::expected<Value, std::exception_ptr>;
    QFuture<Ended> future = QtConcurrent::run(&pool, [work = std::move(work)]() -> Ended {
        try {
            return work();
        } catch (...) {
            return tl::unexpected(std::current_exception());
        }
    });
    future.then(context, [done = std::move(done), failed = std::move(failed)](const Ended& ended) {
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
