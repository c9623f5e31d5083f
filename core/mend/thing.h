#pragma once
#include "core/mend/strokes.h"

namespace moorhaze {

/// How far around a scribble its thing is looked for, px.
int thing_reach(cv::Size scribble);

/// The outline of the thing that a scribble lies on: told from its surroundings by lightness, colour and
/// depth. At most about 400 px a side are looked at; larger areas are reduced. Source: Rother, Kolmogorov &
/// Blake, "GrabCut: Interactive Foreground Extraction using Iterated Graph Cuts", ACM Trans. Graphics 23(3),
/// 2004, as the library has it.
/// @param light     linear, of the source;  @param depth  of the merge, frame numbers; may be empty.
/// @param scribble  255 on the thing for sure;  @param top_left  of all three, in reference pixels.
/// @return  closed outlines in reference pixels; holes are outlines, too.
/// @throws BadParameter when no thing stands out, Cancelled.   Thread-safe; the same each time.
std::vector<std::vector<StrokePoint>> outlines_of_thing(const cv::Mat3f& light, const cv::Mat1f& depth,
                                                        const cv::Mat1b& scribble, cv::Point top_left,
                                                        const Job& job);

}  // namespace moorhaze
