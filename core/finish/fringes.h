// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/finish/finish.h"
#include "core/picture/tone_curve.h"
#include "core/work/job.h"

namespace moorhaze {

/// Where a part of a picture lies on it, for what depends on the distance from its middle.
struct PartPlace {
    cv::Point corner;          ///< first pixel of the part, in the level
    cv::Point2d middle;        ///< of the whole picture, in the level's pixels
    double half_diagonal = 1;  ///< of the whole picture, in the level's pixels
    double scale = 1;          ///< picture pixels per pixel of the level
};

/// Takes fringes of colour out of linear light, in place. Lateral ones: red and blue are resampled to where
/// green has them (cubic convolution on a square-root scale: Keys, IEEE ASSP 29(6), 1981). Others: near
/// edges, what is violet or green in a band of less than about 10 px, and not beyond it, loses that colour (a
/// morphological top-hat of the colour's strength). Hand over fringe_border() more on each side than is
/// wanted, as far as there is picture.
/// @throws Cancelled.   Thread-safe; peak memory 1 input and a few planes.
void take_fringes_out(cv::Mat3f& light, const Fringes& fringes, const PartPlace& place, const Job& job);

/// How far it reaches, in pixels of the level.
int fringe_border(const Fringes& fringes, double half_diagonal, double scale);

/// How far red and blue lie outwards of green, by places with detail all over the picture; what else there is
/// of `fringes` stays.
/// @throws BadParameter where too little of the picture has detail to tell; Cancelled.   Thread-safe.
Fringes with_lateral_found(Fringes fringes, const Picture& picture, const ToneCurve& curve, const Job& job);

}  // namespace moorhaze
