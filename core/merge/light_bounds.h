// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <opencv2/core.hpp>

#include "core/merge/block_planes.h"
#include "core/work/job.h"

namespace moorhaze {

/// Smallest and largest light that frames hold at each place; what is merged is held within them, so that no
/// glare or dark rim beyond those of the frames is left. Kept as 16-bit square roots to save memory.
class LightBounds {
  public:
    explicit LightBounds(cv::Size size) : LightBounds(size, size) {}
    /// @param block  whose places lie together in memory: rows that are added stay within one.
    LightBounds(cv::Size size, cv::Size block);

    /// Takes in the first `width` places of row y. Several threads may add to different places.
    void add_row(int y, int width, const cv::Vec3f* light);
    /// The same where `share` is above 0.4.
    void add_row(int y, int width, const cv::Vec3f* light, const float* share);
    /// Takes in `width` places from one on, colour by colour.
    void add_row(cv::Point from, int width, const float* const* light);
    /// The same where `share` is above 0.4.
    void add_row(cv::Point from, int width, const float* const* light, const float* share);

    /// Holds each value within the bounds of its 3×3 neighbourhood.
    void hold(cv::Mat3f& light, const Job& job);

  private:
    struct Bounds {
        ushort *low, *high;
    };
    /// Of a colour, from a place to the end of its block's row.
    Bounds row(std::size_t colour, cv::Point at);

    BlockPlanes<ushort, 6> planes_;  ///< the least light of each colour, then the most
};

}  // namespace moorhaze
