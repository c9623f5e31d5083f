// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/sets/run_set.h"

#include <algorithm>
#include <chrono>
#include <mutex>

#include "core/sets/outcome.h"
#include "core/sets/run_turntable.h"

namespace moorhaze {
namespace {

/// Looking at a merged view of a turntable and finishing it, measured on two cores.
constexpr double kViewSeconds = 0.5, kViewSecondsPerMegapixel = 0.27;

/// Time left by the share of the work that is done, counted in what the series are guessed to take.
class Pace {
  public:
    explicit Pace(const SetPlan& plan) {
        double together = 0;
        for (const SetSeries& series : plan.series) {
            guesses_.push_back(guessed_seconds(series));
            const PictureInfo& info = series.frames.front().info;
            together += kViewSeconds + kViewSecondsPerMegapixel * 1e-6 * info.width * info.height;
        }
        if (plan.recipe.turntable) guesses_.push_back(together);
        for (const double guess : guesses_) all_ += guess;
    }

    double fraction(int place, double within) const {
        double done = within * guesses_[std::size_t(place)];
        for (int i = 0; i < place; ++i) done += guesses_[std::size_t(i)];
        return all_ > 0 ? done / all_ : 1;
    }

    /// What was passed over took no time, and tells nothing of how long the others take.
    void passed_over(int place) { passed_over_ += guesses_[std::size_t(place)]; }

    double seconds_left(double fraction) const {
        const std::chrono::duration<double> spent = std::chrono::steady_clock::now() - begun_;
        const double left = (1 - fraction) * all_, worked = fraction * all_ - passed_over_;
        return worked > 0.02 * all_ && spent.count() > 5 ? left * spent.count() / worked : left;
    }

  private:
    std::vector<double> guesses_;
    double all_ = 0, passed_over_ = 0;
    std::chrono::steady_clock::time_point begun_ = std::chrono::steady_clock::now();
};

}  // namespace

std::vector<SeriesRecord> run_set(const SetPlan& plan, const RunSettings& settings, const SetEvents& events,
                                  const Job& job) {
    std::vector<SeriesRecord> records;
    write_set_list(plan);
    Pace pace(plan);
    const int count = int(plan.series.size());
    // One piece of work after the other, with its progress within the whole.
    const auto work = [&](int place, const std::string& name, const auto& made) {
        job.checkpoint();
        std::mutex guard;  // progress comes from any thread
        SetProgress progress{place, count, name, {}, 0, 0};
        const auto notify = [&](double within) {
            const std::lock_guard lock(guard);
            progress.fraction = std::max(progress.fraction, pace.fraction(place, within));
            progress.seconds_left = pace.seconds_left(progress.fraction);
            if (events.on_progress) events.on_progress(progress);
        };
        const auto on_step = [&](const char* step) {
            {
                const std::lock_guard lock(guard);
                progress.step = step;
            }
            notify(0);
        };
        const auto begun = std::chrono::steady_clock::now();
        records.push_back(made(on_step, Job{job.stop, notify}));
        const std::chrono::duration<double> took = std::chrono::steady_clock::now() - begun;
        if (took.count() < 0.5 * records.back().all_seconds()) pace.passed_over(place);
        if (events.on_series) events.on_series(place, records.back());
        write_outcome(set_folder(plan.out));
    };
    for (int place = 0; place < count; ++place) {
        const SetSeries& series = plan.series[std::size_t(place)];
        work(place, series.name, [&](const auto& on_step, const Job& own) {
            return run_series(plan, series, settings, on_step, own);
        });
    }
    if (plan.recipe.turntable)
        work(count, turntable_name(plan), [&](const auto& on_step, const Job& own) {
            on_step("finishing all views");
            return run_turntable(plan, records, settings, own);
        });
    return records;
}

}  // namespace moorhaze
