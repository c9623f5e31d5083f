// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>

#include "core/align/solve_series.h"

namespace moorhaze {

/// Moves a point that was set by hand to where the detail around its partner lies, to hundredths of a pixel:
/// the picture around both is compared at half and at full size. A hand may be off by about eight pixels.
/// @param one, other  luma on a square-root scale, of two frames of one size; in_one, in_other in their
/// pixels.
/// @return the place in `other`; nothing when there is no detail in common there, or when a point lies too
/// near the border: then the hand's own place is the best that is known.   Thread-safe.
std::optional<cv::Point2d> refined_match(const cv::Mat1f& one, cv::Point2d in_one, const cv::Mat1f& other,
                                         cv::Point2d in_other);

}  // namespace moorhaze
