// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/blur_growth.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/merge/depth_layers.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

constexpr int kPlaceSide = 40, kBlurRim = 12;  // px of a place, and of it what discs reach into from outside
constexpr int kMostPlaces = 60, kLeastPairs = 12;
constexpr double kOneDepth = 1.5;  // frames: the depths of a place differ by no more
constexpr double kFromEnds =
    0.6;                          // frames: what lies before the nearest or behind the farthest has its depth
constexpr double kTrusted = 0.5;  // 0..1, mean of a place
constexpr std::array kStepsOff = {2, 3, 4, 6, 8};  // frames off the place's depth
constexpr std::array kRadii = {0.01, 0.5, 0.6, 0.8, 1.0, 1.3, 1.6, 2.0, 2.5,
                               3.0,  3.7, 4.5, 5.5, 6.7, 8.0, 9.7, 11.5};  // px
constexpr int kGrowths = 28;  // that are tried, each so many times the one before
constexpr double kLeastGrowth = 0.2, kGrowthRatio = 1.125;
constexpr double kMostSaid = 1;    // logarithm of squared differences: what a pair says at most against one
constexpr double kTelling = 0.1;   // of that a pair: so much worse are growths ...
constexpr int kTellingWithin = 4;  // ... so many numbers away, or nothing is told

double growth_numbered(int number) {
    return kLeastGrowth * std::pow(kGrowthRatio, number);
}

struct BlurPlace {
    cv::Rect box;
    double depth;
    double texture;
};

/// The most textured places of one depth.
std::vector<BlurPlace> textured_places(const cv::Mat3f& merged, const cv::Mat1f& depth,
                                       const cv::Mat1f& trust, int frames) {
    std::vector<BlurPlace> places;
    for (int y = 0; y + kPlaceSide <= depth.rows; y += kPlaceSide / 2)
        for (int x = 0; x + kPlaceSide <= depth.cols; x += kPlaceSide / 2) {
            const cv::Rect box(x, y, kPlaceSide, kPlaceSide);
            double least = 0, most = 0;
            cv::minMaxLoc(depth(box), &least, &most);
            if (most - least > kOneDepth || least < kFromEnds || most > frames - 1 - kFromEnds) continue;
            if (cv::mean(trust(box))[0] < kTrusted) continue;
            cv::Mat1f luma, smooth;
            cv::cvtColor(merged(box), luma, cv::COLOR_RGB2GRAY);
            cv::GaussianBlur(luma, smooth, {}, 2);
            const double texture = cv::norm(luma, smooth, cv::NORM_L2SQR) / double(luma.total());
            places.push_back({box, (least + most) / 2, texture});
        }
    std::stable_sort(places.begin(), places.end(), [](const BlurPlace& one, const BlurPlace& other) {
        return one.texture > other.texture;
    });
    if (places.size() > kMostPlaces) places.resize(kMostPlaces);
    return places;
}

/// By how much each growth explains frames worse than the best does, summed over pairs of a place and a
/// frame.
struct Said {
    std::array<double, kGrowths> against{};
    int pairs = 0;
};

using Differences = std::array<double, kRadii.size()>;

/// Between the radii that were tried.
double at_radius(const Differences& values, double radius) {
    const auto above = std::size_t(std::upper_bound(kRadii.begin(), kRadii.end(), radius) - kRadii.begin());
    if (above == 0) return values.front();
    if (above == kRadii.size()) return values.back();
    const double part = (radius - kRadii[above - 1]) / (kRadii[above] - kRadii[above - 1]);
    return std::lerp(values[above - 1], values[above], part);
}

Said said_by(const BlurPlace& own, const cv::Mat3f& merged, const FrameStack& stack) {
    const cv::Rect inner(kBlurRim, kBlurRim, kPlaceSide - 2 * kBlurRim, kPlaceSide - 2 * kBlurRim);
    std::array<cv::Mat, kRadii.size()> spread_by;
    for (std::size_t i = 0; i < kRadii.size(); ++i)
        spread_by[i] = spread(merged(own.box), float(kRadii[i]))(inner);
    Said said;
    for (const int side : {-1, 1})
        for (const int steps : kStepsOff) {
            const int frame = int(std::lround(own.depth)) + side * steps;
            if (!stack.has(frame)) continue;
            const cv::Mat3f shot = stack.light(frame, own.box)(inner);
            Differences off{};
            for (std::size_t i = 0; i < kRadii.size(); ++i)
                off[i] = std::log(cv::norm(spread_by[i], shot, cv::NORM_L2SQR) + 1e-9);
            const double least = *std::min_element(off.begin(), off.end());
            for (int i = 0; i < kGrowths; ++i)
                said.against[std::size_t(i)] += std::min(
                    kMostSaid, at_radius(off, growth_numbered(i) * std::abs(own.depth - frame)) - least);
            ++said.pairs;
        }
    return said;
}

}  // namespace

float growth_of_blur(const cv::Mat3f& merged, const cv::Mat1f& depth, const cv::Mat1f& trust,
                     const FrameStack& stack, const Job& job) {
    const std::vector<BlurPlace> places = textured_places(merged, depth, trust, stack.count());
    std::vector<Said> each(places.size());
    for_rows(int(places.size()), job,
             [&](int i) { each[std::size_t(i)] = said_by(places[std::size_t(i)], merged, stack); });
    Said all;
    for (const Said& own : each) {
        all.pairs += own.pairs;
        for (std::size_t i = 0; i < kGrowths; ++i) all.against[i] += own.against[i];
    }
    if (all.pairs < kLeastPairs) return 0;
    const auto best = int(std::min_element(all.against.begin(), all.against.end()) - all.against.begin());
    const auto against = [&](int number) { return all.against[std::size_t(number)]; };
    const auto is_worse = [&](int number) {
        return number < 0 || number >= kGrowths || against(number) > against(best) + kTelling * all.pairs;
    };
    if (best == 0 || best + 1 == kGrowths || !is_worse(best - kTellingWithin) ||
        !is_worse(best + kTellingWithin))
        return 0;
    // The lowest point of the parabola through the best and its neighbours.
    const double before = against(best - 1), after = against(best + 1),
                 bend = before + after - 2 * against(best);
    return float(growth_numbered(best) *
                 std::pow(kGrowthRatio, bend > 0 ? (before - after) / (2 * bend) : 0));
}

}  // namespace moorhaze
