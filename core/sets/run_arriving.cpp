// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/sets/run_arriving.h"

#include <condition_variable>
#include <mutex>

#include "core/work/errors.h"

namespace moorhaze {
namespace {

constexpr std::chrono::seconds kLookEach{1};

}  // namespace

void run_arriving(ArrivingSeries& arriving, SetPlan plan, const RunSettings& settings,
                  const ArrivingEvents& events, const Job& job) {
    if (plan.recipe.turntable)
        throw BadParameter(
            "a turntable's views are finished together when all are there: run their folder instead of "
            "watching it, or leave the turntable out of the recipe");
    std::mutex guard;
    std::condition_variable_any wait;
    while (true) {
        job.checkpoint();
        plan.series = arriving.look(std::chrono::steady_clock::now(), job.quiet());
        if (!plan.series.empty()) {
            if (events.on_found) events.on_found(plan.series);
            check_names(plan);
            run_set(plan, settings, events.set, job.quiet());
        }
        std::unique_lock lock(guard);
        wait.wait_for(lock, job.stop, kLookEach, [] { return false; });
    }
}

}  // namespace moorhaze
