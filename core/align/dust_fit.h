// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>

#include "core/align/dust_comparison.h"
#include "core/picture/dust_spot.h"

namespace moorhaze {

/// A spot of dust as it fits best, and what speaks for it.
struct FittedDust {
    DustSpot spot;                         ///< in pixels of the views
    double explained = 0;                  ///< share of what is seen there, over the series, that is the spot
    double least_explained = 0;            ///< the same by halves of the series, the lesser
    double least_half = 0, most_half = 0;  ///< depths by halves of the series
    double moved = 0;  ///< share of the shadow that is left when the neighbours' own is taken off it
};

/// Fits a spot to what the views around a place show, all comparisons at once: in each the spot stands once
/// dark and, half as strong each, bright where the neighbours' own spots come to lie.
/// @param logs   see logarithms_of_light.
/// @param start  about its middle;  @param radius_px  about its radius; both in pixels of the views.
/// @return       nothing where nothing like a spot is there.   Thread-safe.
std::optional<FittedDust> fit_dust(const std::vector<DustView>& views, const std::vector<cv::Mat1f>& logs,
                                   cv::Point start, double radius_px);

}  // namespace moorhaze
