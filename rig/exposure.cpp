// SPDX-License-Identifier: GPL-3.0-or-later
#include "rig/exposure.h"

#include <algorithm>
#include <opencv2/imgproc.hpp>

#include "core/work/for_rows.h"
#include "rig/noise.h"

namespace moorhaze::rig {
namespace {

/// The curtain's edge is soft: it stands some way before the sensor.
constexpr double kCurtainEdge = 0.015;

void add_noise(cv::Mat3f& linear, double strength, std::uint32_t seed) {
    // Photon noise grows with the root of light, read noise is even. At strength 1: 2 % at mid grey.
    const double photon = 4.5e-4 * strength * strength, read = 2.0e-7 * strength * strength;
    for_rows(linear.rows, Job{}, [&](int y) {
        auto* row = linear.ptr<float>(y);
        for (int i = 0; i < 3 * linear.cols; ++i) {
            const double light = std::max(0.0f, row[i]);
            const auto index = std::uint32_t(y) * 3u * std::uint32_t(linear.cols) + std::uint32_t(i);
            row[i] = float(light + std::sqrt(photon * light * 0.18 + read) * normal_pair(seed, index).first);
        }
    });
}

/// A straight, even way over the sensor.
void smear(cv::Mat3f& linear, double right_px, double down_px) {
    const double way = std::hypot(right_px, down_px);
    const int reach = int(std::ceil(way / 2)) + 1, samples = std::max(2, int(std::ceil(way * 4)));
    cv::Mat1f kernel = cv::Mat1f::zeros(2 * reach + 1, 2 * reach + 1);
    for (int i = 0; i < samples; ++i) {
        const double part = (i + 0.5) / samples - 0.5, x = reach + part * right_px,
                     y = reach + part * down_px;
        const int left = int(x), top = int(y);
        const auto across = float(x - left), down = float(y - top);
        kernel(top, left) += (1 - across) * (1 - down);
        kernel(top, left + 1) += across * (1 - down);
        kernel(top + 1, left) += (1 - across) * down;
        kernel(top + 1, left + 1) += across * down;
    }
    kernel *= 1.0 / samples;
    cv::filter2D(linear, linear, -1, kernel, {-1, -1}, 0, cv::BORDER_REFLECT_101);
}

}  // namespace

std::pair<double, double> normal_pair(std::uint32_t seed, std::uint32_t index) {
    const double one = std::max(1e-7, double(random_unit(seed, 2 * index))),
                 two = random_unit(seed, 2 * index + 1);
    const double radius = std::sqrt(-2 * std::log(one));
    return {radius * std::cos(6.283185307179586 * two), radius * std::sin(6.283185307179586 * two)};
}

void apply_effects(cv::Mat3f& linear, const ExposureEffects& effects, std::uint32_t seed, const Job& job) {
    if (effects.smear_right_px != 0 || effects.smear_down_px != 0)
        smear(linear, effects.smear_right_px, effects.smear_down_px);
    job.checkpoint();
    if (effects.gain != 1) linear *= effects.gain;
    if (effects.dark_band > 0)
        for (int y = 0; y < linear.rows; ++y) {
            const double from_bottom = (linear.rows - 0.5 - y) / linear.rows;
            const float lit = smooth_step(float(effects.dark_band - kCurtainEdge),
                                          float(effects.dark_band + kCurtainEdge), float(from_bottom));
            linear.row(y) *= effects.ambient + (1 - effects.ambient) * double(lit);
        }
    shade_by(effects.dust, linear);
    if (effects.noise > 0) add_noise(linear, effects.noise, seed);
}

}  // namespace moorhaze::rig
