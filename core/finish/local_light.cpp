// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finish/local_light.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/picture/block_means.h"
#include "core/picture/fast_math.h"
#include "core/picture/luma.h"
#include "core/work/clones.h"

namespace moorhaze {
namespace {

constexpr int kReducedSide = 640;
constexpr double kRadiusShare = 0.025;  // of the longest side
constexpr double kEdgeStops = 0.7;      // steps of light beyond it are edges
constexpr float kLeastLog = -10;
/// Where shadows end and lights begin, in stops below white; the middle tone lies 2.5 below.
constexpr float kDarkest = -5, kShadowEnd = -1.5f, kLightBegin = -3.5f, kLightest = -0.2f;
constexpr float kMostStops = 2;      // at 100 %
constexpr float kMostDetail = 1.5f;  // stops; more is an edge, where it would be a halo

}  // namespace

MOORHAZE_CLONES void log_luminance(const float* rgb, int pixels, float* logs) {
    constexpr float kLeast = 0.0009765625f;  // 2^-10
    for (int i = 0; i < pixels; ++i)
        logs[i] = fast_log2(std::max(
            kLuminance[0] * rgb[3 * i] + kLuminance[1] * rgb[3 * i + 1] + kLuminance[2] * rgb[3 * i + 2],
            kLeast));
}

LocalLight local_light_of(const Picture& picture, const ToneCurve& curve, const Job& job) {
    LocalLight local;
    const int longest = std::max(picture.width(), picture.height());
    const int shrink = std::max(1, (longest + kReducedSide - 1) / kReducedSide);
    local.shrink = shrink;
    const cv::Mat3f means = block_means(picture, curve, shrink, job);
    cv::Mat1f logs(means.size());
    for (int y = 0; y < logs.rows; ++y)
        for (int x = 0; x < logs.cols; ++x) {
            const cv::Vec3f& light = means(y, x);
            const float luminance =
                kLuminance[0] * light[0] + kLuminance[1] * light[1] + kLuminance[2] * light[2];
            logs(y, x) = std::max(kLeastLog, std::log2(std::max(luminance, 1e-6f)));
        }
    const int radius = std::max(1, int(std::lround(kRadiusShare * std::max(logs.cols, logs.rows))));
    const cv::Size window(2 * radius + 1, 2 * radius + 1);
    auto mean_of = [&](const cv::Mat1f& plane) {
        cv::Mat1f mean;
        cv::boxFilter(plane, mean, CV_32F, window, {-1, -1}, true, cv::BORDER_REFLECT);
        return mean;
    };
    const cv::Mat1f mean = mean_of(logs), square = mean_of(logs.mul(logs));
    job.checkpoint();
    cv::Mat1f slope(logs.size()), offset(logs.size());
    for (int y = 0; y < logs.rows; ++y)
        for (int x = 0; x < logs.cols; ++x) {
            const float variance = std::max(0.0f, square(y, x) - mean(y, x) * mean(y, x));
            slope(y, x) = variance / (variance + float(kEdgeStops * kEdgeStops));
            offset(y, x) = mean(y, x) * (1 - slope(y, x));
        }
    local.slope = mean_of(slope);
    local.offset = mean_of(offset);
    return local;
}

void local_gains(const LocalLight& local, const LocalGain& gain, const float* logs, cv::Point2d start,
                 cv::Point2d step, int count, float* factors) {
    const auto shadows = float(gain.shadows) * kMostStops, lights = float(gain.lights) * kMostStops;
    const auto clarity = float(gain.clarity), exposure = float(gain.exposure_ev);
    const double inverse = 1 / local.shrink, centre = (local.shrink - 1) / 2;
    const int last_x = local.slope.cols - 1, last_y = local.slope.rows - 1;
    for (int i = 0; i < count; ++i) {
        const double at_x = std::clamp((start.x + i * step.x - centre) * inverse, 0.0, double(last_x));
        const double at_y = std::clamp((start.y + i * step.y - centre) * inverse, 0.0, double(last_y));
        const int x = std::min(int(at_x), std::max(0, last_x - 1)),
                  y = std::min(int(at_y), std::max(0, last_y - 1));
        const int right = std::min(x + 1, last_x), lower = std::min(y + 1, last_y);
        const auto dx = float(at_x - x), dy = float(at_y - y);
        auto between = [&](const cv::Mat1f& plane) {
            const float upper = plane(y, x) + dx * (plane(y, right) - plane(y, x));
            const float under = plane(lower, x) + dx * (plane(lower, right) - plane(lower, x));
            return upper + dy * (under - upper);
        };
        const float base = between(local.slope) * logs[i] + between(local.offset);
        const float seen = base + exposure;
        float stops = clarity * std::clamp(logs[i] - base, -kMostDetail, kMostDetail);
        if (shadows != 0) stops += shadows * (1 - smoothstep(seen, kDarkest, kShadowEnd));
        if (lights != 0) stops += lights * smoothstep(seen, kLightBegin, kLightest);
        factors[i] = fast_exp2(stops);
    }
}

}  // namespace moorhaze
