// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/finish/finish.h"
#include "core/picture/tone_curve.h"
#include "core/work/job.h"

namespace moorhaze {

/// What is light and dark in large, and what is detail on it: the log2 luminance of every place is split into
/// a base, smooth but for edges, and the rest. Made once a picture, at reduced size; applied at any size.
/// Source: He & Sun, "Fast Guided Filter", arXiv:1505.00996, 2015 (its coefficients are found on the reduced
/// picture and brought up between its pixels).
struct LocalLight {
    cv::Mat1f slope, offset;  ///< base = slope * log2 luminance + offset, at the reduced size
    double shrink = 1;        ///< picture pixels per pixel of them

    bool empty() const { return slope.empty(); }
};

/// @param picture  16 bit.   @throws Cancelled.   Thread-safe; memory small.
LocalLight local_light_of(const Picture& picture, const ToneCurve& curve, const Job& job);

/// Log2 of the luminance of interleaved pixels, from -10 (black) on.
void log_luminance(const float* linear_rgb, int pixels, float* logs);

/// How lights, shadows and clarity change light.
struct LocalGain {
    double lights = 0, shadows = 0, clarity = 0;  ///< as in Light and Detail
    double exposure_ev = 0;                       ///< that the base is seen under

    bool is_none() const { return lights == 0 && shadows == 0 && clarity == 0; }
};

/// Factors of light for one row.
/// @param logs     log2 luminance of its pixels, before exposure.
/// @param start    the picture's place (pixel centres at whole numbers) of the first, and `step` to the next.
/// @param factors  `count` of them.
void local_gains(const LocalLight& local, const LocalGain& gain, const float* logs, cv::Point2d start,
                 cv::Point2d step, int count, float* factors);

}  // namespace moorhaze
