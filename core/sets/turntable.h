// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <optional>

#include "core/finish/finish.h"
#include "core/picture/picture.h"
#include "core/project/recipe.h"
#include "core/work/job.h"

/// Views of a turntable made alike: one crop, an upright axis in its middle, one light, one ground.
namespace moorhaze {

/// Where one view's object ends, in its rows; subpixel, px of the picture.
struct Outline {
    std::vector<int> rows;
    std::vector<double> left, right;  ///< where half of a pixel is ground
    /// The middle of the outline: mean over its rows.
    double centre() const;
};

/// What was found out about all views together.
struct TurntableLook {
    cv::Size size;                     ///< of all views, px
    std::vector<Outline> outlines;     ///< of each
    double axis_x = 0, axis_y = 0;     ///< a place on the axis, in the middle of the object's height, px
    double tilt_deg = 0;               ///< clockwise turn that makes the axis upright
    std::vector<double> gains;         ///< factors in linear light that make the ground of each view alike
    cv::Point2d ground;                ///< a place of the ground, px
    std::vector<std::string> remarks;  ///< views that show the same, and what could not be told
    std::vector<cv::Mat3w> views;      ///< reduced by `shrink`; linear light, 65535 is white
    int shrink = 1;
    ColourProfile profile;  ///< of the first view
};

/// Looks at merged views of one camera that stood still.
/// @param views   files in the order of the turn, all of one size; 2 at least.
/// @param ground  a place of the ground; none: one near the top left corner.
/// @param reach   see Ground.
/// @throws FileError for views that cannot be read or differ in size; BadParameter where no object can be
/// told from the ground; Cancelled.   Thread-safe; peak memory about 2 views, and at most 5 MB for each that
/// is kept reduced.
///
/// The axis: the silhouettes over a full turn are mirror images of each other about it, so that in each row
/// the mean of (left + right) / 2 over evenly spaced views lies on it; a line is fitted through these by
/// least squares (plane geometry; exact for a distant camera).
TurntableLook look_at_views(const std::vector<std::filesystem::path>& views,
                            std::optional<cv::Point2d> ground, double reach, const Job& job);

/// The same framing for all views.   @throws BadParameter where a crop lies outside.
Framing framing_of_views(const TurntableLook& look, const TurntableRule& rule);

/// What can be looked at while one crop is chosen for all views.
enum class ViewsShown {
    darkest,   ///< all over each other, the darkest of each place: where a thing is in any view
    lightest,  ///< the lightest: where it is in every view
    mean,
    one
};
/// Views as `rule` levels and lights them, not cropped. Reduced by `look.shrink`; its corner is that of
/// levelled_area().   @param view  which one, from 0, for ViewsShown::one.
Picture levelled_views(const TurntableLook& look, const TurntableRule& rule, ViewsShown shown, int view);
/// What the levelled views fill, in the pixels that crops count in.
PixelRect levelled_area(const TurntableLook& look, const TurntableRule& rule);

/// How a view is finished: as `finish`, framed as all are, with its own exposure and the ground.
Finish finish_of_view(Finish finish, const TurntableLook& look, const TurntableRule& rule, int view);

}  // namespace moorhaze
