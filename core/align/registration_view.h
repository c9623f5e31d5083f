// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "core/align/coarse_match.h"

namespace moorhaze {

/// A spot of a frame with detail in two directions, cut out once and looked for in other frames.
struct Spot {
    static constexpr int kReach = 10, kSide = 2 * kReach + 1;    ///< level pixels
    static constexpr int kPadded = (kSide * kSide + 7) / 8 * 8;  ///< length of the weighted windows
    cv::Point at;                                                ///< level pixels
    std::vector<float> value;         ///< kSide² window, its weighted mean taken off
    std::vector<float> across, down;  ///< slopes
    std::vector<float> round;         ///< sum of the second slopes
    /// The same times spot_weights(), zeros at the end: what a search sums up with the other picture.
    std::vector<float> weighted_value, weighted_across, weighted_down;
    double across_sum = 0, down_sum = 0;  ///< of the weighted slopes
    double own_across = 0, own_down = 0;  ///< weighted sums of value times slope
    cv::Matx22d slopes;                   ///< weighted mean of their products
    double energy = 0;                    ///< weighted mean of the squared values
    double steepness = 0;                 ///< weighted mean of the squared slopes over three points
};

/// A frame as registration sees it.
struct RegistrationView {
    struct Level {
        cv::Mat1f luma;          ///< on a square-root scale, 0..1
        double scale = 1;        ///< frame pixels per level pixel
        double slope_noise = 0;  ///< mean square of a slope that noise alone makes
        std::vector<Spot> spots;
    };
    cv::Size frame;             ///< px
    double offset = 0;          ///< level pixel x lies at frame pixel x · scale + offset, on every level
    std::vector<Level> levels;  ///< finest first, each half the one before
    DetailPyramid coarse;       ///< of the level with a long side of about 400 px
    cv::Mat3f light;            ///< a small picture in linear light, for levelling; may be empty

    cv::Point2d frame_px(const Level& level, double x, double y) const {
        return {x * level.scale + offset, y * level.scale + offset};
    }
};

/// @param luma    H×W, on a square-root scale, perhaps reduced.
/// @param frame   the frame's own size.
/// @throws Cancelled.   Thread-safe; memory about 1.5 times the luma's.
RegistrationView registration_view(const cv::Mat1f& luma, cv::Size frame, const Job& job);

/// Cuts a spot out of a picture.
/// @param at  at least Spot::kReach + 2 pixels from the border.
/// @param slope_noise  mean square of a slope that noise alone makes.
Spot cut_spot(const cv::Mat1f& luma, cv::Point at, double slope_noise);

/// Weight of each place of a spot's window: a Gaussian bell that sums to 1; Spot::kPadded long, zeros at the
/// end.
const std::vector<float>& spot_weights();

}  // namespace moorhaze
