// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <chrono>
#include <map>
#include <set>

#include "core/sets/set_plan.h"

namespace moorhaze {

/// Series that arrive in a folder, or in folders within it, frame by frame. A series is complete when another
/// one has begun after it, or when nothing has arrived for a while. Series of one folder are numbered in the
/// order they came, also after a new start. Not thread-safe.
class ArrivingSeries {
  public:
    using Moment = std::chrono::steady_clock::time_point;

    /// @param quiet_s  nothing arrives for so long: what is there is whole.
    /// @throws FileError when the folder cannot be read.
    ArrivingSeries(std::filesystem::path folder, double quiet_s);

    /// Looks once; call it about once a second. Files count once they are completely written.
    /// @return series that became complete, in the order they came; most often none.
    /// @throws FileError when the folder has gone, Cancelled.
    std::vector<SetSeries> look(Moment now, const Job& job);

    int waiting() const { return int(waiting_.size()); }  ///< frames of series that are not complete yet
    const std::vector<std::string>& problems() const { return problems_; }

  private:
    std::filesystem::path folder_;
    double quiet_s_;
    std::map<std::filesystem::path, std::uintmax_t> growing_;  ///< size at the last look
    std::set<std::filesystem::path> known_;                    ///< complete, or refused
    std::vector<std::filesystem::path> waiting_;
    std::size_t looked_at_ = 0;  ///< how many were waiting when they were last split into series
    Moment last_arrival_{};
    std::map<std::filesystem::path, int> in_folder_;  ///< series that were complete
    int count_ = 0;
    std::vector<std::string> problems_;
};

}  // namespace moorhaze
