// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/mend/strokes.h"

namespace moorhaze {

/// How far around a brush of healing a place to copy from is looked for, px.
int healing_reach(double radius_px);

/// The place near by whose surroundings look most like those of what is to be healed, when their mean tone is
/// made alike, and which itself varies no more than they do, so that no speck is copied onto another.
/// @param light  linear, the mask's surroundings;  @param mask  what is to be healed, > 0.
/// @throws BadParameter where nothing of it can be copied, Cancelled.   Thread-safe.
FromPlace healing_place(const cv::Mat3f& light, const cv::Mat1f& mask, double radius_px, const Job& job);

}  // namespace moorhaze
