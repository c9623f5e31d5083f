// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/focus/dissimilarity.h"

#include <opencv2/imgproc.hpp>

#include "core/focus/order_statistics.h"

namespace moorhaze {

double dissimilarity(const std::vector<FocusProfile>& profiles, const std::vector<cv::Point2d>& places,
                     int one, int other) {
    const FocusProfile &a = profiles[std::size_t(one)], &b = profiles[std::size_t(other)];
    if (a.sharpness.empty() || a.sharpness.size() != b.sharpness.size()) return -1;
    // Hand shake moves detail into other cells; it is not a step of focus.
    const double cells = double(a.sharpness.cols) / std::max(1, a.view.cols);
    const cv::Point2d shift = (places[std::size_t(other)] - places[std::size_t(one)]) * cells;
    cv::Mat1f laid;
    cv::warpAffine(b.sharpness, laid, cv::Matx23d(1, 0, shift.x, 0, 1, shift.y), a.sharpness.size(),
                   cv::INTER_LINEAR | cv::WARP_INVERSE_MAP, cv::BORDER_REPLICATE);
    double both = 0, either = 0;
    for (int y = 0; y < laid.rows; ++y)
        for (int x = 0; x < laid.cols; ++x) {
            both += std::min(a.sharpness(y, x), laid(y, x));
            either += std::max(a.sharpness(y, x), laid(y, x));
        }
    return either > 0 ? 1 - both / either : -1;
}

double usual_around(const std::vector<double>& values, int place, int reach) {
    std::vector<double> near;
    for (int i = std::max(0, place - reach); i <= std::min(int(values.size()) - 1, place + reach); ++i)
        if (i != place && values[std::size_t(i)] >= 0) near.push_back(values[std::size_t(i)]);
    return near.size() < 2 ? -1 : median(std::move(near));
}

}  // namespace moorhaze
