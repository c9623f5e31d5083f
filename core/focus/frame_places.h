// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/focus/focus_profile.h"

namespace moorhaze {

/// Where each frame's picture lies as a whole, in px of the profiles' views, against the first readable one:
/// hand shake and drift, coarsely. Frames that are nearly black or unreadable lie where the one before lies.
/// Phase correlation of neighbours, band-passed so that focus counts little.
/// Source: Kuglin & Hines, "The Phase Correlation Image Alignment Method", 1975.   Thread-safe.
std::vector<cv::Point2d> frame_places(const std::vector<FocusProfile>& profiles);

}  // namespace moorhaze
