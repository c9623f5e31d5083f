// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>

#include "core/picture/dust_spot.h"
#include "core/series/series.h"
#include "tests/support/scratch.h"

namespace moorhaze::test {

/// Writes pictures as `frame-01.tif`, ... and opens them as a series.
Series write_series(const Scratch& scratch, const std::vector<Picture>& pictures);

/// A planted focus series over a texture: frame i is sharp in its own upright strip and blurred elsewhere by
/// its distance in strips. @param lie  where a frame's pixel lies in the true picture; empty: as it is.
std::vector<Picture> strip_series(cv::Size size, int frames,
                                  const std::function<cv::Point2d(int, double, double)>& lie = {});
/// Shades a picture as specks before the sensor do, with a soft edge of its own making: not the shape that is
/// looked for. 16 bit.
Picture shaded_by_dust(const Picture& clean, const std::vector<DustSpot>& dust);
/// A strip series held in the hand, a few pixels and some thousandths of size a frame, behind the same dust.
std::vector<Picture> dusty_series(cv::Size size, int frames, const std::vector<DustSpot>& dust);
/// Where a frame of it sees what lies at (x, y) of its own: place in the true picture.
cv::Point2d held_in_hand(cv::Size size, int frames, int frame, double x, double y);
/// The true picture of strip_series.
Picture strip_truth(cv::Size size);

/// A bright plane at the left, sharp in the first frame, before a dark one that is sharp in the last: its
/// blur lies over the edge of what is behind, as of a lens. Every method errs there.
std::vector<Picture> edge_series(cv::Size size, int frames);

/// What the rig wrote of a demo series.
struct DemoTruth {
    Series series;
    Picture sharp;
    cv::Mat1f depth;    ///< frame numbers from 1
    int reference = 0;  ///< index from 0
    std::vector<cv::Matx33d> matrices;
    std::vector<double> gains;
};
DemoTruth open_demo(const std::string& name);

}  // namespace moorhaze::test
