// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <opencv2/core.hpp>
#include <vector>

#include "core/picture/warp.h"
#include "core/work/job.h"

namespace moorhaze {

/// A source made to meet what lies around the place that it is drawn to: its difference from the picture,
/// known where the mask is 0, is carried into the masked place as smoothly as it goes, and taken off; detail
/// and grain stay the source's own. Source: Pérez, Gangnet & Blake, "Poisson Image Editing", ACM Trans.
/// Graphics 22(3), 2003, where a membrane carries it; here averages over growing surroundings do: Gortler et
/// al., "The Lumigraph", SIGGRAPH 1996 (pull and push), which is as smooth to the eye and one pass.
/// @param source, picture  linear, of one size;  @param covered  columns of the source; empty: all.
/// @param mask             0..1; where it is 0 nothing is drawn.
/// @return  linear; the source itself where nothing around it is known.   Thread-safe.
cv::Mat3f tone_matched(const cv::Mat3f& source, const std::vector<RowSpan>& covered, const cv::Mat3f& picture,
                       const cv::Mat1f& mask, const Job& job);

}  // namespace moorhaze
