// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/sets/arriving_series.h"
#include "core/sets/run_set.h"

namespace moorhaze {

struct ArrivingEvents {
    /// Series became whole and are worked on next; the places of `set` count within them.
    std::function<void(const std::vector<SetSeries>& series)> on_found;
    SetEvents set;
};

/// Works on the series of a folder as each becomes whole, until it is stopped; how it was watched for tells
/// `arriving`. What was made before a stop is passed over when it is started again.
/// @param plan  recipe and place of the pictures; its series do not count.
/// @throws Cancelled when it is stopped, FileError when the folder has gone, BadParameter for a turntable's
/// recipe, and as run_set().
void run_arriving(ArrivingSeries& arriving, SetPlan plan, const RunSettings& settings,
                  const ArrivingEvents& events, const Job& job);

}  // namespace moorhaze
