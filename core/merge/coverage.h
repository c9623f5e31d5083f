// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <algorithm>
#include <vector>

#include "core/picture/warped_frame.h"

namespace moorhaze {

/// Which places of a target, and of the smaller planes of its pyramid, one frame has pixels for.
class Coverage {
  public:
    Coverage() = default;  ///< all of them
    /// @param covered  per row of the target.
    Coverage(const std::vector<RowSpan>& covered, int width) {
        if (!moorhaze::covers_all(covered, width)) rows_ = covered;
    }
    bool is_all() const { return rows_.empty(); }

    /// The covered columns of a row.
    /// @param level  how often the plane was downsampled by 2.   @param width  of the plane.
    RowSpan row(int y, int level, int width) const {
        if (rows_.empty()) return {0, width};
        const RowSpan span = rows_[std::min(std::size_t(y) << level, rows_.size() - 1)];
        const auto down = [level, width](int column) {
            return std::clamp((column + (1 << level) - 1) >> level, 0, width);
        };
        return {down(span.begin), down(span.end)};
    }

  private:
    std::vector<RowSpan> rows_;
};

}  // namespace moorhaze
