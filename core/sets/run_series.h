// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/sets/series_record.h"

namespace moorhaze {

struct RunSettings {
    bool overwrite = false;        ///< files of these names that this recipe did not make
    std::size_t memory_bytes = 0;  ///< of a merge, see merge_series()
};

/// Called when a step of a series begins: "aligning".
using OnStep = std::function<void(const char* step)>;

/// One series from its frames to its files by the plan's recipe. What was made from the same before is not
/// made again. Where a person should look, a project with everything done so far is kept beside the table.
/// The record is written; a series that fails is recorded with the reason and does not throw.
/// @param series  one of the plan's.
/// @throws Cancelled; FileError where not even the record can be written. The same files for any number of
/// threads; what is interrupted is begun anew, and none is ever half written.
SeriesRecord run_series(const SetPlan& plan, const SetSeries& series, const RunSettings& settings,
                        const OnStep& on_step, const Job& job);

/// What is known of a series without working on it: its record where it was made from the same and its files
/// are there, otherwise waiting, and in `reasons` what stands in its way.
/// @param keys  of its frames; see frame_keys().
SeriesRecord state_of(const SetPlan& plan, const SetSeries& series, const std::vector<std::string>& keys,
                      bool overwrite);
/// Names the frames' files by what they hold.   @throws FileError, Cancelled.
std::vector<std::string> frame_keys(const SetSeries& series, const Job& job);

/// Seconds that a series may take on this machine, roughly: for time left before anything is measured.
double guessed_seconds(const SetSeries& series);

}  // namespace moorhaze
