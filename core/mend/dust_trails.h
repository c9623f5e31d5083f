// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "core/merge/aligned_frames.h"

namespace moorhaze {

/// Where a merge may show the shadows of dust on the sensor: a spot stays at its place on the sensor while
/// the picture moves over it, so that it comes back in one frame after the other, as a streak. All planes are
/// at half size of the target. Not thread-safe.
class DustTrails {
  public:
    DustTrails() = default;  ///< no dust
    /// @param frames  that the merge was made from.
    /// @param own     number from 1 of the frame that each place is taken from; 0: none.
    DustTrails(const AlignedFrames& frames, const cv::Mat1w& own, const Job& job);

    bool empty() const { return trails_.empty(); }
    /// Per place the number of the nearest frame that shows it free of dust; 0 where it is of no use.
    const cv::Mat1w& clean() const { return clean_; }
    /// How much darker the merge is than it would be without dust, perceptual luma: as much of each spot's
    /// shadow as is surely there, 0 elsewhere.
    /// @param merge  perceptual luma.   @param clean  that of the frames that clean() names; NaN where they
    /// have none.
    cv::Mat1f darkened(const cv::Mat1f& merge, const cv::Mat1f& clean) const;
    /// Number from 1 of the frame nearest to another that has all of a part free of dust, or of as much of it
    /// as any has.
    int frame_without(cv::Rect part, int near) const;

  private:
    /// Places of a spot's shadow, and what lies just around, that hang together.
    struct Trail {
        std::vector<cv::Point> places;
        std::vector<float> shade;  ///< share of the light's root that the spot takes from each
    };
    /// A spot of dust as it lies in the planes.
    struct LaidSpot {
        cv::Point2d at;
        double px;     ///< frame pixels to one of the plane, about
        double reach;  ///< frame pixels
    };
    /// All spots in one of the frames.
    struct DustyFrame {
        int number;  ///< in the series, from 1
        std::vector<LaidSpot> spots;
    };
    static double distance(const LaidSpot& spot, cv::Point at) {
        return cv::norm(spot.at - cv::Point2d(at)) * spot.px;  // frame pixels
    }
    static bool is_free(const DustyFrame& frame, cv::Point at);
    void lay(const AlignedFrames& frames, const std::vector<DustSpot>& dust);

    std::vector<DustyFrame> frames_;  ///< in the merge's order
    cv::Mat1w clean_;
    std::vector<Trail> trails_;
};

}  // namespace moorhaze
