// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <algorithm>
#include <opencv2/core.hpp>

#include "core/work/for_rows.h"

namespace moorhaze {

/// Planes of one size of which each block has its part in one piece of memory, plane after plane. Several
/// threads may write to different rows.
template <class Value, int Planes>
class BlockPlanes {
  public:
    /// @param fill  makes all of a plane's values: fill(plane) is what they begin with.
    template <class Fill>
    BlockPlanes(cv::Size size, cv::Size block, const Fill& fill)
        : block_(block), across_((size.width + block.width - 1) / block.width) {
        blocks_.create(across_ * ((size.height + block.height - 1) / block.height), Planes * block.area());
        for_rows(blocks_.rows, {}, [&](int row) {
            for (int plane = 0; plane < Planes; ++plane) {
                Value* const first = blocks_[row] + plane * block_.area();
                std::fill(first, first + block_.area(), fill(plane));
            }
        });
    }

    cv::Size block() const { return block_; }

    /// From a place of a plane to the end of its block's row.
    Value* row(int plane, cv::Point at) {
        const cv::Point own(at.x / block_.width, at.y / block_.height);
        return blocks_[own.y * across_ + own.x] + std::ptrdiff_t(plane) * block_.area() +
               std::ptrdiff_t(at.y - own.y * block_.height) * block_.width + (at.x - own.x * block_.width);
    }

  private:
    cv::Size block_;
    int across_;
    cv::Mat_<Value> blocks_;  ///< a row for each
};

}  // namespace moorhaze
