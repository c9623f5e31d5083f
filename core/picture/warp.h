// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "core/picture/dust_spot.h"
#include "core/picture/tone_curve.h"
#include "core/work/job.h"

namespace moorhaze {

/// Columns begin..end-1 of a row. Empty when begin == end.
struct RowSpan {
    int begin = 0, end = 0;
    bool operator==(const RowSpan&) const = default;
};

/// Light falls off from the frame's centre by exp(-(square·r² + fourth·r⁴)), r in half diagonals.
struct Vignetting {
    double square = 0, fourth = 0;
    bool operator==(const Vignetting&) const = default;
    bool is_none() const { return square == 0 && fourth == 0; }
};

/// The part of a frame that is at hand; the whole of it when `frame` is empty.
struct FramePart {
    cv::Point corner;  ///< its first pixel, in the frame
    cv::Size frame;
    bool operator==(const FramePart&) const = default;
};

/// Where and how a frame's pixels go.
struct WarpPlan {
    cv::Matx33d frame_to_reference = cv::Matx33d::eye();  ///< pixel centres at whole numbers
    PixelRect target;             ///< part of the reference plane to fill, in reference pixels
    cv::Vec3d gains = {1, 1, 1};  ///< factors in linear light, by colour, > 0
    /// Of frame and reference alike: light is brought to what the reference frame has at the same place.
    Vignetting vignetting = {};
    std::vector<DustSpot> dust = {};  ///< whose shadows are taken off
    /// What the pixels are that are handed over. Outside of a part its edge is repeated, as of a frame's:
    /// whoever contributess sees to it that the target needs no more.
    FramePart part = {};
};

/// Reference pixels to the whole frame's.   @throws as warp_to_linear.
cv::Matx33d to_frame_of(const WarpPlan& plan);

/// The part of a frame of that size, in its pixels, that a plan needs: what the target shows and what the
/// kernel reaches around it. Empty when the frame does not lie in the target.
cv::Rect needed_of(cv::Size frame, const WarpPlan& plan);

/// A frame warped to the reference plane, in linear light.
struct LinearFrame {
    cv::Mat3f pixels;              ///< target.height × target.width
    std::vector<RowSpan> covered;  ///< per row: where the frame has pixels; outside, its edge is repeated
};

/// Where the frame's pixels lie in each row of the target.
std::vector<RowSpan> covered_spans(cv::Size frame, const WarpPlan& plan);

/// Resamples once, from the file's own pixels: decoded by table, interpolated with a Lanczos kernel of three
/// lobes on a square-root scale (in linear light its ringing would blacken the surround of highlights),
/// levelled by `gains` and `vignetting`, freed of `dust`, out in linear light. Works in tiles; memory is one
/// output. The whole of what WarpedFrame gives block by block.
/// @throws BadParameter for a matrix that cannot be turned round or an empty target; Cancelled. Thread-safe.
/// Source of the kernel: Duchon, "Lanczos Filtering in One and Two Dimensions", J. Appl. Meteor. 18, 1979.
LinearFrame warp_to_linear(const Picture& frame, const ToneCurve& curve, const WarpPlan& plan,
                           const Job& job);

}  // namespace moorhaze
