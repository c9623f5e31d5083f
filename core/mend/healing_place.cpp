// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mend/healing_place.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>
#include <vector>

#include "core/picture/luma.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

constexpr double kNear[] = {2.4, 3.2, 4.4, 6};  // brush radii that places lie away
constexpr double kLeastAway = 4;                // px more
constexpr int kDirections = 32;
constexpr int kMostLooked = 20000;  // pixels that places are judged by

struct Sample {
    cv::Point at;
    bool inside;  ///< of what is to be healed; else around it
};

/// Every so many pixels of what is to be healed and of a rim around it.
std::vector<Sample> samples_of(const cv::Mat1f& mask, int rim_px) {
    const cv::Mat1b inside = mask > 0;
    cv::Mat1b around;
    cv::dilate(inside, around,
               cv::getStructuringElement(cv::MORPH_ELLIPSE, {2 * rim_px + 1, 2 * rim_px + 1}));
    const int step = std::max(1, int(std::sqrt(double(cv::countNonZero(around)) / kMostLooked)));
    std::vector<Sample> samples;
    for (int y = 0; y < mask.rows; y += step)
        for (int x = 0; x < mask.cols; x += step)
            if (around(y, x)) samples.push_back({{x, y}, inside(y, x) != 0});
    return samples;
}

/// How little a place will do: lower is better; infinite where it cannot be taken.
double unlikeness(const cv::Mat1f& luma, const cv::Mat1f& mask, const std::vector<Sample>& samples,
                  cv::Point offset) {
    const cv::Rect all({}, luma.size());
    double rim = 0, rim_sum = 0, rim_square = 0, own_sum = 0, own_square = 0, there_sum = 0, there_square = 0;
    double inside = 0;
    for (const Sample& sample : samples) {
        const cv::Point there = sample.at + offset;
        if (!all.contains(there)) return INFINITY;
        const double value = double(luma(there));
        if (sample.inside) {
            if (mask(there) > 0) return INFINITY;
            ++inside, there_sum += value, there_square += value * value;
        } else {
            const double own = double(luma(sample.at)), difference = value - own;
            ++rim, rim_sum += difference, rim_square += difference * difference;
            own_sum += own, own_square += own * own;
        }
    }
    if (rim < 1 || inside < 1) return INFINITY;
    const auto variance = [](double sum, double square, double count) {
        return std::max(0.0, square / count - sum * sum / (count * count));
    };
    const double differs = variance(rim_sum, rim_square, rim), own = variance(own_sum, own_square, rim),
                 copied = variance(there_sum, there_square, inside);
    return differs + std::max(0.0, copied - own);
}

}  // namespace

int healing_reach(double radius_px) {
    return int(std::ceil(kNear[std::size(kNear) - 1] * radius_px + kLeastAway)) + 4;
}

FromPlace healing_place(const cv::Mat3f& light, const cv::Mat1f& mask, double radius_px, const Job& job) {
    const cv::Mat1f luma = perceptual_luma(light, job);
    const std::vector<Sample> samples = samples_of(mask, std::max(3, int(radius_px / 2)));
    std::vector<FromPlace> places;
    for (const double near : kNear)
        for (int direction = 0; direction < kDirections; ++direction) {
            const double away = near * radius_px + kLeastAway, angle = 2 * CV_PI * direction / kDirections;
            places.push_back(
                {int(std::lround(away * std::cos(angle))), int(std::lround(away * std::sin(angle)))});
        }
    std::vector<double> scores(places.size());
    for_rows(int(places.size()), job, [&](int i) {
        const FromPlace& place = places[std::size_t(i)];
        scores[std::size_t(i)] = unlikeness(luma, mask, samples, {place.dx_px, place.dy_px});
    });
    const auto best = std::min_element(scores.begin(), scores.end());
    if (!std::isfinite(*best))
        throw BadParameter(
            "nothing around is free to be copied from: heal it in smaller pieces, or copy from a place of "
            "your own");
    return places[std::size_t(best - scores.begin())];
}

}  // namespace moorhaze
