// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <opencv2/core.hpp>
#include <vector>

namespace moorhaze {

/// The shadow of a speck on the filter in front of the sensor, at the same place of every frame: two discs
/// that overlap, the speck and the lens' round pupil as the sensor sees it past the speck.
struct DustSpot {
    cv::Point2d at;         ///< its middle, in frame pixels
    double radius_px = 8;   ///< of the speck: there the shadow has about half its depth; > 0
    double softness = 0.5;  ///< radius of the pupil's disc against the speck's; above 0, at most 1
    double depth = 0;       ///< share of the light that is missing in the middle, 0..kDeepestDust
    bool operator==(const DustSpot&) const = default;

    double reach_px() const { return radius_px * (1 + softness); }
};
/// Deeper shadows leave too little to bring back.
inline constexpr double kDeepestDust = 0.6;

/// Share of the shadow's depth by the distance from its middle, tabulated; 1 in the middle, 0 beyond reach.
/// The area that two circles share: Weisstein, "Circle-Circle Intersection", MathWorld (from memory).
class DustShade {
  public:
    DustShade(double radius_px, double softness);
    double reach_px() const { return reach_px_; }
    float operator()(double distance_px) const {
        const double place = distance_px * steps_per_px_;
        const auto below = std::size_t(place);
        if (below + 1 >= shares_.size()) return 0.0f;
        return shares_[below] + float(place - double(below)) * (shares_[below + 1] - shares_[below]);
    }

  private:
    double reach_px_, steps_per_px_;
    std::vector<float> shares_;
};

/// Gives back the light that dust took. Thread-safe.
/// @param to_frame  places of the grid that `block` is a part of, to frame pixels.
/// @param power     the values go with this power of light: 1 for light, 0.5 for its square root.
/// @param out       CV_32F of the block's size, any number of channels.
void mend_dust(const std::vector<DustSpot>& dust, const cv::Matx33d& to_frame, cv::Rect block, double power,
               cv::Mat& out);

}  // namespace moorhaze
