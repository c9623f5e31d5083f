// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/mend/strokes.h"

namespace moorhaze {

/// How far around a scribble its thing is looked for, px.
int thing_reach(cv::Size scribble);

/// A thing as it was found.
struct Thing {
    std::vector<std::vector<StrokePoint>> outlines;  ///< closed, in reference pixels; holes are outlines, too
    bool is_cut_off = false;                         ///< it goes on where nobody looked
};

/// The outline of the thing that a scribble lies on: told from its surroundings by lightness, colour and
/// depth. At most 320 px a side are looked at; larger areas are reduced. Source: Rother, Kolmogorov &
/// Blake, "GrabCut: Interactive Foreground Extraction using Iterated Graph Cuts", ACM Trans. Graphics 23(3),
/// 2004, as the library has it.
/// @param light     linear, of the source;  @param depth  of the merge, frame numbers; may be empty.
/// @param scribble  255 on the thing for sure;  @param top_left  of all three, in reference pixels.
/// @param picture   all that there is, in reference pixels: at its edges a thing may end.
/// @throws BadParameter when no thing stands out, Cancelled.   Thread-safe; the same each time.
Thing thing_at(const cv::Mat3f& light, const cv::Mat1f& depth, const cv::Mat1b& scribble, cv::Point top_left,
               PixelRect picture, const Job& job);

}  // namespace moorhaze
