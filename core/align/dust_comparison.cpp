// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/align/dust_comparison.h"

#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

constexpr float kDark = 2e-3f, kClipped = 0.97f;  // of linear light
constexpr float kOutside = -100;  // stands for pixels that a view has not; light never is so dark

}  // namespace

std::vector<DustComparison> dust_comparisons(int count) {
    std::vector<DustComparison> all;
    for (const int hop : kDustHops)
        for (int i = hop; i + hop < count; ++i) all.push_back({i, hop, 2 * i < count - 1});
    return all;
}

std::vector<cv::Mat1f> logarithms_of_light(const std::vector<DustView>& views, const Job& job) {
    std::vector<cv::Mat1f> logs(views.size());
    for_rows(int(views.size()), job.quiet(), [&](int i) {
        const cv::Mat1f& luma = views[std::size_t(i)].luma;
        cv::Mat light = luma.mul(luma) + kDark;
        cv::log(light, logs[std::size_t(i)]);
    });
    return logs;
}

cv::Matx33d between_views(const std::vector<DustView>& views, int from, int to) {
    return views[std::size_t(to)].to_reference.inv() * views[std::size_t(from)].to_reference;
}

cv::Mat1f difference_from_neighbours(const std::vector<DustView>& views, const std::vector<cv::Mat1f>& logs,
                                     const DustComparison& own, cv::Rect part) {
    cv::Mat1f around = cv::Mat1f::zeros(part.size());
    const cv::Matx33d shift(1, 0, part.x, 0, 1, part.y, 0, 0, 1);
    for (const int other : {own.view - own.hop, own.view + own.hop}) {
        cv::Mat1f laid;
        cv::warpPerspective(logs[std::size_t(other)], laid, between_views(views, own.view, other) * shift,
                            part.size(), cv::INTER_CUBIC | cv::WARP_INVERSE_MAP, cv::BORDER_CONSTANT,
                            cv::Scalar(kOutside));
        around += 0.5f * laid;
    }
    const cv::Mat1f here = logs[std::size_t(own.view)](part);
    cv::Mat1f difference = here - around;
    const float least = std::log(kDark) - 0.1f, clipped = std::log(kClipped);
    for (int y = 0; y < part.height; ++y)
        for (int x = 0; x < part.width; ++x)
            if (around(y, x) < least || here(y, x) > clipped) difference(y, x) = kOutside;
    return difference;
}

}  // namespace moorhaze
