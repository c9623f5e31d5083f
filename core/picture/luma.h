// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/picture/tone_curve.h"
#include "core/work/job.h"

namespace moorhaze {

inline constexpr float kLuminance[] = {0.2126f, 0.7152f, 0.0722f};  ///< ITU-R BT.709-6, item 3.2

/// Luminance on a square-root scale, 0..1 for 0..1: even steps look about even, and noise of light is about
/// even. The weights are those of ITU-R BT.709 whatever the primaries: it serves measures, not colours.
/// @param linear  H×W linear light.   @return H×W.   Thread-safe.
cv::Mat1f perceptual_luma(const cv::Mat3f& linear, const Job& job);

/// The same from a file's own pixels.
cv::Mat1f perceptual_luma(const Picture& picture, const ToneCurve& curve, const Job& job);

}  // namespace moorhaze
