// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>
#include <vector>

#include "core/align/register_pair.h"

namespace moorhaze {

/// What may differ between frames.
enum class PlaneModel {
    automatic,    ///< the simplest that explains the series
    shift,        ///< shift alone
    similarity,   ///< shift, rotation, scale
    perspective,  ///< with slight perspective
};

/// How the focus moved from frame to frame.
enum class Travel {
    refocused,  ///< the lens refocused, or unknown: scales of neighbours multiply along the series
    rail,       ///< the camera moved: a thing's size goes with 1 / distance, so scales add up as 1/(1 - sum)
};

struct MeasuredPair {
    int moving = 0, fixed = 0;  ///< indices of frames
    PairRegistration pair;
    PairSpots spots = {};  ///< it was laid through; empty once it is laid for good
};

/// The same thing, pointed at in two frames. Frame pixels.
struct MatchingPoints {
    int one = 0, other = 0;  ///< indices of frames
    cv::Point2d in_one, in_other;
    bool operator==(const MatchingPoints&) const = default;
};

struct SolvedSeries {
    PlaneModel model = PlaneModel::similarity;  ///< never automatic
    std::vector<cv::Matx33d> to_anchor;         ///< frame pixels to the anchor frame's
    std::vector<int> group;                     ///< frames that measurements link have the same; -1: none
    std::vector<double> residual_px;            ///< how far the same detail lies apart, root mean square over
                                                ///< the picture, against the neighbours measured
    std::vector<double> corner_px;              ///< the same at the worst corner
    std::string model_reason;                   ///< why this model, in a sentence
};

/// Lays all frames over each other at once, so that errors of pairs don't add up along the series: the least
/// cost of all pairs (each loses its weight when it disagrees with the rest), of points set by hand, which
/// bind, and of what frames have in common: scale runs smoothly along the series, the other parts as smoothly
/// as they do. How smoothly is found with the solution (expectation and maximisation of the prior variances).
/// Frames without a measurement lie where smoothness puts them.
/// @param frames  how many;  @param size  px.   Thread-safe.
/// Source: Dempster, Laird & Rubin, "Maximum likelihood from incomplete data via the EM algorithm", J. Royal
/// Stat. Soc. B 39(1), 1977.
SolvedSeries solve_series(int frames, cv::Size size, const std::vector<MeasuredPair>& pairs,
                          const std::vector<MatchingPoints>& points, PlaneModel model, Travel travel);

}  // namespace moorhaze
