// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finish/fine_detail.h"

#include <algorithm>
#include <cmath>

#include "core/mend/strokes.h"
#include "core/picture/blur.h"
#include "core/picture/luma.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

constexpr double kLeastSigma = 0.2;  // a smaller blur is none
constexpr float kMostFactor = 4;     // of light, brighter or darker

void sharpen(cv::Mat3f& light, const Detail& detail, double sigma, const Job& job) {
    const cv::Mat1f luma = perceptual_luma(light, job);
    const cv::Mat1f blurred = gaussian_blur(luma, sigma, job);
    const auto amount = float(detail.sharpening), threshold = float(detail.threshold);
    for_rows(light.rows, job, [&](int y) {
        for (int x = 0; x < light.cols; ++x) {
            const float own = luma(y, x), difference = own - blurred(y, x);
            const float counts = std::copysign(std::max(0.0f, std::abs(difference) - threshold), difference);
            if (counts == 0) continue;
            const float to = std::max(0.0f, own + amount * counts) / std::max(own, 1e-4f);
            light(y, x) *= std::clamp(to * to, 1 / kMostFactor, kMostFactor);
        }
    });
}

}  // namespace

int sharpening_border(const Detail& detail, double scale) {
    return detail.is_off || detail.sharpening == 0 ? 0 : int(std::ceil(3 * detail.radius_px / scale)) + 1;
}

namespace {

/// How much of the sharpening each place gets, by what was painted.
cv::Mat1f painted_share(const SharedList<SharpenedStroke>& painted, PixelRect place,
                        const cv::Matx33d& to_level, const Job& job) {
    std::vector<Stroke> strokes;
    for (const SharpenedStroke& own : painted) {
        Stroke stroke{own.takes_back ? StrokeSource(WipeBack{}) : StrokeSource(FromPlace{}),
                      own.radius_px,
                      own.softness,
                      1,
                      {}};
        for (const cv::Point2d& point : own.points) stroke.points.push_back({point.x, point.y, 1});
        strokes.push_back(carried_over(stroke, to_level));
    }
    return painted_on(SharedList(strokes), place, {}, job).share;
}

}  // namespace

void sharpen_detail(cv::Mat3f& light, const Detail& detail, PixelRect place, const cv::Matx33d& to_level,
                    double scale, const Job& job) {
    if (detail.is_off || detail.sharpening == 0) return;
    const double sigma = detail.radius_px / scale;
    if (sigma < kLeastSigma) return;
    if (detail.painted.empty()) return sharpen(light, detail, sigma, job);
    const cv::Mat1f share = painted_share(detail.painted, place, to_level, job);
    const cv::Mat3f plain = light.clone();
    sharpen(light, detail, sigma, job);
    for_rows(light.rows, job, [&](int y) {
        for (int x = 0; x < light.cols; ++x)
            light(y, x) = plain(y, x) + share(y, x) * (light(y, x) - plain(y, x));
    });
}

}  // namespace moorhaze
