// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "core/picture/warp.h"

namespace moorhaze {

enum class Levelling {
    off,         ///< frames keep their brightness
    brightness,  ///< one factor a frame
    colour,      ///< a factor for each colour of a frame
    automatic,  ///< colour where the frames' colours differ by more than measuring does, otherwise brightness
};

struct LevelledLight {
    std::vector<cv::Vec3d> gains;  ///< factors in linear light
    Vignetting vignetting;
};

/// Finds what brings all frames to the light of the reference frame, from small pictures in linear light laid
/// over each other: near and far neighbours are compared where neither is black nor clipped, as robust means
/// of logarithms, and all are solved together. Blur does not matter: it moves light by less than the small
/// pictures' pixels. Where frames differ in scale, what they share of light fall-off shows, and is found with
/// the gains.
/// @param light   small pictures of equal size, in linear light; empty ones get gain 1.
/// @param matrices  frame pixels to reference pixels.   @param frame  the frames' size, px.
/// Thread-safe.
LevelledLight level_light(const std::vector<cv::Mat3f>& light, const std::vector<cv::Matx33d>& matrices,
                          cv::Size frame, int reference, Levelling levelling);

}  // namespace moorhaze
