#include "core/finish/fine_detail.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/picture/blur.h"
#include "core/picture/luma.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

constexpr double kColourRadiusPx = 4;
constexpr double kColourEdge = 0.02;  // steps of luma beyond it keep their colours apart
constexpr double kLeastSigma = 0.2;   // a smaller blur is none
constexpr float kMostFactor = 4;      // of light, brighter or darker

int colour_radius(double scale) {
    return int(std::lround(kColourRadiusPx / scale));
}

cv::Mat1f box_mean(const cv::Mat1f& plane, int radius) {
    cv::Mat1f mean;
    const cv::Size window(2 * radius + 1, 2 * radius + 1);
    cv::boxFilter(plane, mean, CV_32F, window, {-1, -1}, true, cv::BORDER_REFLECT_101);
    return mean;
}

void smooth_colour(cv::Mat3f& light, double share, int radius, const Job& job) {
    const cv::Mat1f luma = perceptual_luma(light, job);
    cv::Mat1f colour[3];
    for (cv::Mat1f& plane : colour) plane.create(light.size());
    for_rows(light.rows, job, [&](int y) {
        for (int x = 0; x < light.cols; ++x)
            for (int c = 0; c < 3; ++c)
                colour[c](y, x) = std::sqrt(std::max(0.0f, light(y, x)[c])) - luma(y, x);
    });
    const cv::Mat1f mean = box_mean(luma, radius), square = box_mean(luma.mul(luma), radius);
    for (cv::Mat1f& plane : colour) {
        job.checkpoint();
        const cv::Mat1f own = box_mean(plane, radius), both = box_mean(plane.mul(luma), radius);
        cv::Mat1f slope(light.size()), offset(light.size());
        for_rows(light.rows, job, [&](int y) {
            for (int x = 0; x < light.cols; ++x) {
                const float m = mean(y, x), variance = std::max(0.0f, square(y, x) - m * m);
                slope(y, x) = (both(y, x) - own(y, x) * m) / (variance + float(kColourEdge * kColourEdge));
                offset(y, x) = own(y, x) - slope(y, x) * m;
            }
        });
        slope = box_mean(slope, radius);
        offset = box_mean(offset, radius);
        for_rows(light.rows, job, [&](int y) {
            for (int x = 0; x < light.cols; ++x) {
                const float smoothed = slope(y, x) * luma(y, x) + offset(y, x);
                plane(y, x) += float(share) * (smoothed - plane(y, x));
            }
        });
    }
    for_rows(light.rows, job, [&](int y) {
        for (int x = 0; x < light.cols; ++x)
            for (int c = 0; c < 3; ++c) {
                const float root = std::max(0.0f, luma(y, x) + colour[c](y, x));
                light(y, x)[c] = root * root;
            }
    });
}

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

int detail_border(const Detail& detail, double scale) {
    if (detail.is_off) return 0;
    int border = 0;
    if (detail.colour_noise > 0) border += 2 * colour_radius(scale);
    if (detail.sharpening > 0) border += int(std::ceil(3 * detail.radius_px / scale)) + 1;
    return border;
}

void refine_detail(cv::Mat3f& light, const Detail& detail, double scale, const Job& job) {
    if (detail.is_off) return;
    if (const int radius = colour_radius(scale); detail.colour_noise > 0 && radius > 0)
        smooth_colour(light, detail.colour_noise, radius, job);
    if (const double sigma = detail.radius_px / scale; detail.sharpening > 0 && sigma >= kLeastSigma)
        sharpen(light, detail, sigma, job);
}

}  // namespace moorhaze
