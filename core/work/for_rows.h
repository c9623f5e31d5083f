// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <algorithm>
#include <atomic>

#include "core/work/job.h"

#ifdef MOORHAZE_STD_THREADS
#include <exception>
#include <mutex>

#include "core/work/crew.h"
#else
// oneTBB has members named `emit`, which Qt's headers define away; a file may include both in any order.
#pragma push_macro("emit")
#undef emit
#include <oneapi/tbb/global_control.h>
#include <oneapi/tbb/parallel_for.h>
#include <oneapi/tbb/task_arena.h>
#pragma pop_macro("emit")
#endif

namespace moorhaze {

/// Calls `body(row)` for every row 0..rows-1, in parallel and in no fixed order; returns when all are done.
/// A body writes its own row only, so results don't depend on the number of threads.
/// The first exception of a body reaches the caller with its type intact; the other rows are given up.
/// This is the only place of the project that knows the library of threads.
/// @throws Cancelled between rows, and whatever `body` throws.
template <class Body>
void for_rows(int rows, const Job& job, const Body& body) {
    std::atomic<int> done = 0;
    auto row_step = [&](int row) {
        job.checkpoint();
        body(row);
        const int finished = done.fetch_add(1, std::memory_order_relaxed) + 1;
        if (job.on_fraction && finished % 64 == 0) job.on_fraction(double(finished) / rows);
    };
#ifdef MOORHAZE_STD_THREADS
    std::atomic<int> next = 0;
    std::exception_ptr first_failure;
    std::mutex failure_guard;
    Crew::of_the_program().help_with([&] {
        try {
            for (int row = next++; row < rows; row = next++) row_step(row);
        } catch (...) {
            const std::lock_guard lock(failure_guard);
            if (!first_failure) first_failure = std::current_exception();
            next = rows;
        }
    });
    if (first_failure) std::rethrow_exception(first_failure);
#else
    // A thread that waits for its own inner rows must not begin another outer one: each holds memory.
    oneapi::tbb::this_task_arena::isolate([&] { oneapi::tbb::parallel_for(0, rows, row_step); });
#endif
    if (job.on_fraction) job.on_fraction(1.0);
}

/// While it lives, for_rows uses at most this many threads. For tests and for `--threads`.
class ThreadLimit {
  public:
#ifdef MOORHAZE_STD_THREADS
    explicit ThreadLimit(int) {}
#else
    explicit ThreadLimit(int threads)
        : control_(oneapi::tbb::global_control::max_allowed_parallelism, std::size_t(std::max(1, threads))) {}

  private:
    oneapi::tbb::global_control control_;
#endif
};

}  // namespace moorhaze
