// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "core/picture/picture.h"
#include "core/work/job.h"

namespace moorhaze {

/// A picture for the screen: 8 bit, in the screen's colours, each pixel blue, green, red, 255 in memory. Each
/// level is half the one before, (n+1)/2 a side, the mean of 2×2 pixels; the last is at most 64 px long.
/// Transparent places become the neutral grey of the window's surround. Other profiles than the screen's go
/// through Little CMS, relative colorimetric.
/// @param screen  the screen's profile; empty, or one that is not of RGB: sRGB.
/// @return   at least one level.   @throws Cancelled.   Thread-safe; peak memory 4/3 of the picture at 8 bit.
std::vector<cv::Mat4b> display_levels(const Picture& picture, const Job& job,
                                      const ColourProfile& screen = {});

/// The same conversion without smaller levels.
cv::Mat4b to_display(const Picture& picture, const Job& job, const ColourProfile& screen = {});

/// Puts new pixels at a place of the finest level and brings the smaller levels up to date there.
/// @param at  top left of `patch` in the finest level; the patch lies inside.
void replace_in_levels(std::vector<cv::Mat4b>& levels, const cv::Mat4b& patch, cv::Point at);

inline constexpr std::uint8_t kSurroundGrey = 112;  ///< sRGB value of the window's surround

}  // namespace moorhaze
