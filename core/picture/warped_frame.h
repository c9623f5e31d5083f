// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/picture/clipped.h"
#include "core/picture/warp.h"

namespace moorhaze {

/// Luma of a frame at half the target's size, (n+1)/2 a side, for measures.
struct DownsampledFrame {
    cv::Mat1f luma;  ///< on a square-root scale (see luma.h)
    /// Energy of what only full size shows, gathered over the place as by a Gaussian of 1 px of full size.
    cv::Mat1f fine_energy;
    int width = 0;                 ///< of the target
    std::vector<RowSpan> covered;  ///< per row of the target, at full size
};

/// A decoded frame made ready to be warped to the reference plane: block by block, so that what is not wanted
/// costs nothing, and small. Resampled as warp_to_linear says. Immutable, thread-safe; shares the picture.
class WarpedFrame {
  public:
    /// @throws as warp_to_linear.
    WarpedFrame(const Picture& frame, const ToneCurve& curve, const WarpPlan& plan);

    cv::Size target() const { return plan_.target.size(); }
    const std::vector<RowSpan>& covered() const { return covered_; }
    bool covers_all() const { return covers_all_; }

    /// Linear light of a block, in pixels of the target; it may reach beyond the target.
    cv::Mat3f light(cv::Rect block) const;
    /// The same into memory of the block's size.
    void light(cv::Rect block, cv::Mat3f& out) const;

    /// All of the target.   @throws Cancelled.
    LinearFrame all(const Job& job) const;

    /// Linear light at a quarter of the size, downsampled by 2 twice, (n+1)/2 a side each time: place (u, v)
    /// lies at (4u, 4v) of the target.   @throws Cancelled.
    cv::Mat3f downsampled_light(const Job& job) const;

    /// @throws Cancelled.
    DownsampledFrame downsampled_luma(const Job& job) const;

    /// clipped_runs() of the frame, at half the target's size, to the nearest place; rows may be left out or
    /// come twice where the frame is enlarged or reduced.   @throws Cancelled.
    std::vector<ClippedRun> clipped(double level, const Job& job) const;

  private:
    void fill(cv::Rect block, cv::Mat& out) const;

    Picture frame_;
    ToneCurve curve_;
    WarpPlan plan_;
    cv::Matx33d to_frame_;  ///< reference to the whole frame's pixels
    cv::Size whole_;        ///< size of the whole frame
    std::vector<float> roots_[3];
    std::vector<RowSpan> covered_;
    bool covers_all_ = false;
};

/// Whether all rows are covered from end to end.
bool covers_all(const std::vector<RowSpan>& covered, int width);

}  // namespace moorhaze
