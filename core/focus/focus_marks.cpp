// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/focus/focus_marks.h"

#include <algorithm>
#include <opencv2/imgproc.hpp>

#include "core/focus/modified_laplacian.h"

namespace moorhaze {

cv::Mat1b focus_marks(const cv::Mat3b& picture, double reach, const Job& job) {
    cv::Mat1f luma(picture.size());
    for (int y = 0; y < picture.rows; ++y)
        for (int x = 0; x < picture.cols; ++x) {
            const cv::Vec3b& value = picture(y, x);
            luma(y, x) = (0.2126f * value[0] + 0.7152f * value[1] + 0.0722f * value[2]) / 255.0f;
        }
    // A lone speck of noise is no detail: what surrounds it must be lively too.
    const cv::Mat1f detail = modified_laplacian(luma, 1, job);
    cv::Mat1f around;
    cv::blur(detail, around, {5, 5}, {-1, -1}, cv::BORDER_REFLECT_101);
    // A close-up is blurred nearly everywhere: its median shows the noise, its strongest edges what sharp
    // means.
    std::vector<float> values(detail.begin(), detail.end());
    auto quantile = [&](double part) {
        const auto place = values.begin() + std::ptrdiff_t(part * double(values.size() - 1));
        std::nth_element(values.begin(), place, values.end());
        return *place;
    };
    if (values.empty()) return {};
    const float noise = quantile(0.5), strong = quantile(0.998);
    const float floor = std::max(2.5f * noise, 0.015f);
    const float limit = std::max(floor, strong * float(0.6 - 0.45 * std::clamp(reach, 0.0, 1.0)));
    return (detail > limit) & (around > 0.45 * limit);
}

}  // namespace moorhaze
