// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/finish/finish.h"

/// Places of the merge and of the turned picture: both in reference pixels, pixel centres at whole numbers.
namespace moorhaze {

/// From a place of the merge to the same place of the turned picture.
cv::Matx33d to_turned(const Framing& framing);

/// What the whole of a merge fills when it is turned, empty corners included.
PixelRect turned_area(const Framing& framing, PixelRect merge);

/// The largest upright rectangle within the turned merge.
/// Source: closed form for a rectangle in a turned rectangle (plane geometry, derived in the source file).
PixelRect inside_turned(const Framing& framing, PixelRect merge);

/// What is kept: the crop as far as the turned merge reaches; where corners are left out, without them.
/// @throws BadParameter when nothing of the picture is kept.
PixelRect kept_of(const Framing& framing, PixelRect merge);

/// The same, and all of the turned merge where nothing is kept: for looking at it.
PixelRect kept_or_all(const Framing& framing, PixelRect merge);

/// True when some of what is kept lies outside of the turned merge.
bool keeps_empty_corners(const Framing& framing, PixelRect merge);

/// The crop that leaves out empty and soft edges.
/// @param covered  what all merged frames cover, reference pixels (see common_area.h).
/// @param alpha    of the merge, or empty.
PixelRect suggested_crop(PixelRect merge, PixelRect covered, const cv::Mat& alpha);

/// The framing whose turn makes a line level or upright, whichever is nearer; the rest stays, and what is
/// shown in the middle of the merge stays there.
Framing with_level_line(Framing framing, PixelRect merge, cv::Point2d from, cv::Point2d to);
/// The same with a turn.
Framing with_turn(Framing framing, PixelRect merge, double turn_deg);

/// The crop of a shape, as large as it can be around the middle of `within`.
/// @param across, down  of the shape, > 0.
PixelRect of_shape(PixelRect within, double across, double down);

}  // namespace moorhaze
