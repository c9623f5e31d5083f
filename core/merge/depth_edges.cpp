// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/depth_edges.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <opencv2/imgproc.hpp>
#include <vector>

#include "core/picture/fast_math.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

constexpr float kGuideSigma = 0.047f;  // likeness of colours in the guide, of roots of light 0..1
constexpr float kLikeness = -std::numbers::log2e_v<float> / (2 * kGuideSigma * kGuideSigma);
constexpr int kReaches[] = {24, 16, 12, 8};  // working px
constexpr float kEdge = 2.5f;                // frames between depths that meet

}  // namespace

cv::Mat1f depth_with_edges(const cv::Mat1f& depth, const FrameStack& stack, const Job& job) {
    const int last = stack.count() - 1;
    cv::Mat1f now = depth.clone();
    const auto steps = double(std::size(kReaches));
    int step_number = 0;
    for (const int reach : kReaches) {
        const cv::Mat kernel = cv::getStructuringElement(cv::MORPH_ELLIPSE, {2 * reach + 1, 2 * reach + 1});
        cv::Mat1f near, far, next = now.clone();
        for_rows(2, {}, [&](int which) {
            which == 0 ? cv::erode(now, near, kernel) : cv::dilate(now, far, kernel);
        });
        const int step = std::max(1, reach / 6);
        for_rows(now.rows, job.part(step_number / steps, (step_number + 1) / steps), [&](int y) {
            std::vector<float> shares(std::size_t(2 * last) + 2);  // by half frames
            for (int x = 0; x < now.cols; ++x) {
                if (far(y, x) - near(y, x) <= kEdge) continue;
                const cv::Mat& guide =
                    stack.frames[std::size_t(std::clamp(int(std::lround(near(y, x))), 0, last))];
                if (guide.empty()) continue;
                const cv::Vec3f own = guide.at<cv::Vec3w>(y, x);
                std::fill(shares.begin(), shares.end(), 0.0f);
                float total = 0;
                for (int j = std::max(-reach, -y); j <= std::min(reach, now.rows - 1 - y); j += step)
                    for (int i = std::max(-reach, -x); i <= std::min(reach, now.cols - 1 - x); i += step) {
                        if (i * i + j * j > reach * reach) continue;
                        const cv::Vec3f off = (cv::Vec3f(guide.at<cv::Vec3w>(y + j, x + i)) - own) / 65535.0f;
                        const float weight = fast_exp2(kLikeness * float(off.dot(off)));
                        shares[std::size_t(
                            std::clamp(int(std::lround(2 * now(y + j, x + i))), 0, 2 * last))] += weight;
                        total += weight;
                    }
                float sum = 0;
                for (std::size_t bin = 0; bin < shares.size(); ++bin)
                    if ((sum += shares[bin]) >= total / 2) {
                        next(y, x) = float(bin) / 2;
                        break;
                    }
            }
        });
        now = next;
        ++step_number;
    }
    return now;
}

}  // namespace moorhaze
