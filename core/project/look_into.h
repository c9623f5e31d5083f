// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <memory>

#include "core/focus/profile_frames.h"
#include "core/focus/series_report.h"
#include "core/merge/quick_merge.h"
#include "core/project/project.h"

namespace moorhaze {

/// All that looking at the frames of a series tells: how sharp they are and where, their order, gaps and
/// faults.
struct Looked {
    std::vector<FocusProfile> profiles;  ///< one per frame; empty for unreadable ones
    SeriesProfile whole;
    OrderReport order;
    std::optional<double> growth;        ///< of a rail series, from first to last frame
    std::vector<std::string> mixed;      ///< settings that differ and should not, a sentence each
    std::vector<FrameProblem> problems;  ///< frames that cannot be read
    /// Of the frames' files; empty for those that were not read to their end (without a cache none is).
    std::vector<std::string> content_keys;
    std::shared_ptr<const QuickMerge> quick;  ///< null where it was not wanted
};

struct LookTask {
    const ProfileCache* cache = nullptr;  ///< where earlier looks are found and new ones kept; null for none
    FrameShelf* shelf = nullptr;          ///< where decoded frames lie; null: nowhere
    bool quick_merge = false;             ///< whether the quick merge is wanted, too
    /// Called for each frame as it is done, and how much detail it holds: from any thread, in any order.
    std::function<void(int frame, double detail)> on_frame;
};

/// The one way to look into a series: for the window, `inspect`, `align` and `merge` alike.
/// Memory goes with the frames' previews (see PreviewShelf), not with their sizes.
/// @throws Cancelled.   Thread-safe.
Looked look_into(const Series& series, const LookTask& task, const Job& job);

/// What was found, for frames that stand in another order now: `order[k]` is the old index of the new k-th.
/// What is known of the old order only (gaps, order, settings by numbers) is empty until it is reported()
/// anew.
Looked permuted(const Looked& looked, const std::vector<int>& order);

/// Finds out what the profiles say about the series in the order they stand in.   Thread-safe.
Looked reported(Looked looked, const Series& series);

}  // namespace moorhaze
