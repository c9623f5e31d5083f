// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/focus/frame_places.h"

#include <opencv2/imgproc.hpp>

#include "core/focus/order_statistics.h"

namespace moorhaze {
namespace {

/// Darker than this part of the usual light a frame holds nothing to go by.
constexpr double kMisfireLight = 0.15;
constexpr int kSmallestSide = 24;

cv::Mat1f band_passed(const cv::Mat1f& view) {
    cv::Mat1f fine, coarse;
    cv::GaussianBlur(view, fine, {}, 2);
    cv::GaussianBlur(view, coarse, {}, 10);
    return fine - coarse;
}

}  // namespace

std::vector<cv::Point2d> frame_places(const std::vector<FocusProfile>& profiles) {
    std::vector<double> lights;
    for (const FocusProfile& profile : profiles)
        if (!profile.view.empty()) lights.push_back(profile.brightness);
    const double usual = median(lights);
    std::vector<cv::Point2d> places(profiles.size());
    cv::Mat1f last, window;
    cv::Point2d place;
    for (std::size_t i = 0; i < profiles.size(); ++i) {
        const FocusProfile& profile = profiles[i];
        if (!profile.view.empty() && profile.brightness > kMisfireLight * usual &&
            std::min(profile.view.rows, profile.view.cols) >= kSmallestSide) {
            const cv::Mat1f here = band_passed(profile.view);
            if (window.size() != here.size()) cv::createHanningWindow(window, here.size(), CV_32F);
            if (last.size() == here.size()) place += cv::phaseCorrelate(last, here, window);
            last = here;
        }
        places[i] = place;
    }
    return places;
}

}  // namespace moorhaze
