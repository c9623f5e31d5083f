// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <stop_token>

#include "core/work/errors.h"

namespace moorhaze {

/// Progress and cancellation of one long call. A default Job runs silently to its end.
/// Copies refer to the same stop request. Thread-safe as long as `on_fraction` is.
struct Job {
    std::stop_token stop;
    std::function<void(double)> on_fraction;  ///< 0..1; any thread, maybe out of order

    /// @throws Cancelled when a stop was requested.
    void checkpoint(double fraction) const {
        checkpoint();
        if (on_fraction) on_fraction(fraction);
    }
    void checkpoint() const {
        if (stop.stop_requested()) throw Cancelled{};
    }

    /// The job of a step that takes the part `from`..`to` (0..1) of this one.
    Job part(double from, double to) const {
        if (!on_fraction) return {stop, {}};
        return {stop,
                [report = on_fraction, from, to](double fraction) { report(from + (to - from) * fraction); }};
    }

    /// The same stop request without progress, for a step inside a step.
    Job quiet() const { return {stop, {}}; }
};

}  // namespace moorhaze
