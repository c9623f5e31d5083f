// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>

#include "core/align/homography.h"
#include "core/align/registration_view.h"

namespace moorhaze {

/// What two frames say of how they lie over each other. To second order around `fixed_to_moving`, a map that
/// differs from it by parts d (as of HomographyFrame, first d, then fixed_to_moving) costs
/// d'·information·d / 2 - d'·pull, in units of its own scatter: pull is 0 where the measured map is the best.
struct PairRegistration {
    cv::Matx33d fixed_to_moving = cv::Matx33d::eye();  ///< frame pixels
    cv::Matx<double, kHomographyParts, kHomographyParts> information =
        cv::Matx<double, kHomographyParts, kHomographyParts>::zeros();
    HomographyParts pull = HomographyParts::all(0);
    double scatter_px = 0;  ///< how far single spots lie from the map, root mean square
    double likeness = 0;    ///< weighted correlation of the spots, -1..1
    int spots = 0;          ///< that agree
};

/// The same detail in two frames, in frame pixels.
struct Correspondence {
    cv::Point2d fixed, moving;
    cv::Matx22d variance;  ///< of the moving place seen from the fixed frame, px², by noise alone
    double likeness;       ///< correlation of both, -1..1
    int blur;              ///< 0: sharp in both frames .. 2: blurred
    int level;             ///< that it was found on, 0 the finest
    double reach_px;       ///< how far what was compared reaches around it
};

/// What two frames show in common, and the map laid through it.
struct PairSpots {
    cv::Size frame;  ///< px
    cv::Matx33d fixed_to_moving = cv::Matx33d::eye();
    std::vector<Correspondence> found;
    std::vector<double> level_scales;  ///< frame pixels per level pixel
    std::size_t tried = 0;
};

/// A place of the sensor that shows the same detail whatever the picture does: dust.
struct RestingPlace {
    cv::Point2d at;     ///< frame pixels
    double breadth_px;  ///< how far the detail reaches
    int level;          ///< on which it is seen
};

/// Finds what two neighbouring frames show in common. A coarse match comes first; then spots of the fixed
/// frame with detail in two directions, spread evenly over the picture on several levels, are looked for in
/// the moving one, each with a brightness of its own.
/// @param start  a first guess, fixed to moving.
/// @return nothing when the frames have too little in common.   @throws Cancelled.   Thread-safe.
/// Source: Baker & Matthews, "Lucas-Kanade 20 Years On", IJCV 56(3), 2004.
std::optional<PairSpots> match_pair(const RegistrationView& moving, const RegistrationView& fixed,
                                    const std::optional<cv::Matx33d>& start, const Job& job);

/// Lays a homography through what two frames show in common. Spots err by noise and by what no plane map
/// explains (near edges that hide a side of the lens, parallax, moving parts); the second is taken from how
/// they scatter, so that a few spots of strong contrast don't rule, and spots that are off by more than most
/// lose their weight (Cauchy weights).
/// @param resting  places that say nothing of how the frames lie: spots that they reach into are left out.
/// @return nothing when too few agree.   Thread-safe.
std::optional<PairRegistration> lay_pair(const PairSpots& spots, const std::vector<RestingPlace>& resting);

/// Both at once, for frames without dust.   @throws Cancelled.   Thread-safe.
std::optional<PairRegistration> register_pair(const RegistrationView& moving, const RegistrationView& fixed,
                                              const std::optional<cv::Matx33d>& start, const Job& job);

/// Where a spot lies in another picture.
struct SpotFind {
    cv::Point2d at;        ///< level pixels of the other picture
    double likeness = 0;   ///< correlation of the two windows, -1..1
    double misfit = 0;     ///< mean square of what differs, in the spot's units
    cv::Matx22d variance;  ///< of the place by what differs, level pixels², seen from the spot
    double balance = 0;    ///< logarithm of how much sharper the other picture is there
};

/// Looks for a spot around a place of another picture, to hundredths of a pixel; none when it runs away.
/// @param near  level pixels;  @param bend  how the other picture is turned and scaled there.
std::optional<SpotFind> find_spot(const Spot& spot, const cv::Mat1f& luma, double slope_noise,
                                  cv::Point2d near, const cv::Matx22d& bend);

}  // namespace moorhaze
