// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/finish/finish.h"
#include "core/picture/tone_curve.h"
#include "core/work/job.h"

namespace moorhaze {

/// Where the backdrop of a product picture lies and how its light runs. Shared, immutable.
struct GroundMap {
    cv::Mat1b share;    ///< of the picture's size: 255 ground, 0 subject, between at the subject's edge
    cv::Mat3f light;    ///< of the ground alone, without shadows, linear, reduced, smooth
    cv::Mat1f level;    ///< how light the nearest ground is against it, less in a shadow; reduced
    double shrink = 1;  ///< picture pixels per pixel of it

    bool empty() const { return share.empty(); }
    /// The ground's light at a place of the picture, as it would be without shadows.
    cv::Vec3f light_at(double x, double y) const;
    float level_at(double x, double y) const;
    float share_at(double x, double y) const;  ///< 0..1
};

/// Finds the ground around a picked place: what is connected with it, has its colour, is no darker than a
/// shadow on it, and has no edge of its own. Its light is a smooth surface through what is surely ground, so
/// that light which falls off towards a side is no obstacle. At the subject's edge each pixel's share of the
/// ground is found between the ground's light and that of the nearest surely not ground (in linear light,
/// where sharp and blurred edges are sums of both); in large pictures edges may be blurred over up to 40 px.
/// A surface of the subject that is nearly of the ground's light and colour cannot be told from a blurred
/// edge.
/// @param picture  16 bit.   @param picked  px.   @param reach  see Ground.
/// @throws BadParameter where the place lies outside or is black, Cancelled.   Thread-safe; peak memory about
/// 7 bytes a pixel.
GroundMap ground_of(const Picture& picture, const ToneCurve& curve, cv::Point2d picked, double reach,
                    const Job& job);

/// What the ground's own light becomes, 0..1 of the tone asked for: 1 where it is ground, less in the part of
/// its shadows that is kept.
/// @param brightness  of the place, against the ground's light.
float ground_level(const Ground& ground, float brightness);

}  // namespace moorhaze
