// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <opencv2/core.hpp>
#include <vector>

#include "core/work/job.h"

// What the search for dust on the sensor looks at: how a frame differs from those before and behind it, laid
// over it. See sensor_dust.h.
namespace moorhaze {

/// A frame as the search for dust sees it.
struct DustView {
    cv::Mat1f luma;                                 ///< on a square-root scale, 0..1; perhaps reduced
    cv::Matx33d to_reference = cv::Matx33d::eye();  ///< its own pixels (reduced) to those of the reference
};

/// Frames between those that are compared.
inline constexpr int kDustHops[] = {1, 2, 4};

/// A view and the two that it is compared with, as many places before and behind it.
struct DustComparison {
    int view = 0, hop = 0;
    bool in_first_half = false;
};
std::vector<DustComparison> dust_comparisons(int view_count);

/// Natural logarithms of the views' light, dark places held off.   @throws Cancelled.
std::vector<cv::Mat1f> logarithms_of_light(const std::vector<DustView>& views, const Job& job);

/// Pixels of one view to those of another.
cv::Matx33d between_views(const std::vector<DustView>& views, int from, int to);

/// What a place is marked with that a view or one of its neighbours does not show, or clipped: this or less.
inline constexpr float kUnknownDifference = -50;

/// By how much a view is brighter than its two neighbours laid over it, as a natural logarithm, in a part of
/// it.
/// @param logs  of the views.
cv::Mat1f difference_from_neighbours(const std::vector<DustView>& views, const std::vector<cv::Mat1f>& logs,
                                     const DustComparison& comparison, cv::Rect part);

}  // namespace moorhaze
