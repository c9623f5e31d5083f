// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/sets/run_series.h"

namespace moorhaze {

/// The last step of a turntable's run: the merged views are looked at together, framed and lit alike,
/// finished by the recipe and written as numbered pictures. What was made from the same before is not made
/// again.
/// @param views  what became of the plan's series, in its order; those that failed are told as missing.
/// @return       a record of its own, named after turntable_name(); failed with the reason, as run_series().
/// @throws Cancelled; FileError where not even the record can be written.
SeriesRecord run_turntable(const SetPlan& plan, const std::vector<SeriesRecord>& views,
                           const RunSettings& settings, const Job& job);

/// The merged views of a plan, as far as they are there, for looking at their overlay.
std::vector<std::filesystem::path> merged_views(const SetPlan& plan, const std::vector<SeriesRecord>& views);

}  // namespace moorhaze
