// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/sets/run_series.h"

namespace moorhaze {

struct SetProgress {
    int place = 0, count = 0;  ///< the series that is worked on, from 0, and how many there are; `place` is
                               ///< `count` while a turntable's views are finished together
    std::string name, step;
    double fraction = 0;      ///< of the whole run, 0..1
    double seconds_left = 0;  ///< of the whole run, from what was done so far
};

struct SetEvents {
    std::function<void(const SetProgress&)> on_progress;                   ///< from any thread
    std::function<void(int place, const SeriesRecord& record)> on_series;  ///< one is finished
};

/// Works through a plan, one series after the other, each with the whole machine. What was made before is
/// passed over; a series that fails is recorded, and the next one follows. The table is written after each.
/// Memory goes with the largest series, not with their number.
/// @return what became of each, in the plan's order; of a turntable what became of all views together, last.
/// @throws Cancelled, FileError as run_series().
std::vector<SeriesRecord> run_set(const SetPlan& plan, const RunSettings& settings, const SetEvents& events,
                                  const Job& job);

}  // namespace moorhaze
