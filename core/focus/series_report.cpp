// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/focus/series_report.h"

namespace moorhaze {

SeriesReport report_on(const Series& series, const std::vector<FocusProfile>& profiles,
                       std::optional<double> growth) {
    SeriesReport report;
    report.whole = profile_series(profiles);
    report.order = find_order(series, profiles, report.whole, growth);
    if (!report.order.needs_repair() || report.order.order == FocusOrder::far_to_near) return report;
    const std::vector<int>& as_repaired = report.order.near_to_far;
    std::vector<FocusProfile> in_order;
    for (const int frame : as_repaired) in_order.push_back(profiles[std::size_t(frame)]);
    SeriesProfile whole = profile_series(in_order);
    for (std::size_t k = 0; k < as_repaired.size(); ++k) {
        const auto place = std::size_t(as_repaired[k]);
        report.whole.share[place] = whole.share[k];
        report.whole.flags[place] = std::move(whole.flags[k]);
    }
    for (FocusGap& gap : whole.gaps) {
        gap.after = as_repaired[std::size_t(gap.after)];
        gap.before = as_repaired[std::size_t(gap.before)];
    }
    report.whole.gaps = std::move(whole.gaps);
    report.whole.suggested_reference = as_repaired[std::size_t(whole.suggested_reference)];
    return report;
}

}  // namespace moorhaze
