// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/focus/focus_order.h"

namespace moorhaze {

/// All that the profiles say about a series.
struct SeriesReport {
    SeriesProfile whole;
    OrderReport order;
};

/// Profiles the whole series and finds its order. Where frames stand in disorder, neighbours are those of the
/// repaired order, so that faults are not found by mistake; flags, shares and gaps still bear the frames'
/// numbers as they stand.   Thread-safe.
SeriesReport report_on(const Series& series, const std::vector<FocusProfile>& profiles,
                       std::optional<double> growth);

}  // namespace moorhaze
