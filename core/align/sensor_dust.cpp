// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/align/sensor_dust.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>
#include <optional>

#include "core/align/dust_fit.h"
#include "core/picture/blur.h"
#include "core/picture/pyramid.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

constexpr int kFewestViews = 7;
constexpr int kSearchSide =
    800;  // long side that places are looked for at; they are judged at the views' own
constexpr double kRadii_px[] = {4, 5.5, 7.5, 10, 14};  // that are looked for
constexpr float kLeastVariance = 2e-6f;                // of logarithms of light
constexpr int kVarianceSide = 25;                      // px around, that a place's weight is taken from
constexpr std::size_t kMostCandidates = 80;

std::vector<DustView> reduced(const std::vector<DustView>& views, int scale, const Job& job) {
    if (scale == 1) return views;
    std::vector<DustView> halves(views.size());
    for_rows(int(views.size()), job.quiet(), [&](int i) {
        const DustView& own = views[std::size_t(i)];
        halves[std::size_t(i)] = {pyramid_down(own.luma, job.quiet()),
                                  own.to_reference * cv::Matx33d(2, 0, 0, 0, 2, 0, 0, 0, 1)};
    });
    return halves;
}

/// Means over the series of what views have less than their neighbours, by hop.
struct MeanDifference {
    cv::Mat1f whole, halves[2];
};

std::vector<MeanDifference> mean_differences(const std::vector<DustView>& views, const Job& job) {
    const std::vector<cv::Mat1f> logs = logarithms_of_light(views, job);
    const std::vector<DustComparison> all = dust_comparisons(int(views.size()));
    const cv::Rect whole({}, logs[0].size());
    constexpr int kTasks = 2 * int(std::size(kDustHops));
    std::vector<cv::Mat1f> sums(kTasks), weights(kTasks);
    for_rows(kTasks, job.quiet(), [&](int task) {
        cv::Mat1f& sum = sums[std::size_t(task)] = cv::Mat1f::zeros(whole.size());
        cv::Mat1f& weight = weights[std::size_t(task)] = cv::Mat1f::zeros(whole.size());
        for (const DustComparison& own : all) {
            if (own.hop != kDustHops[task / 2] || own.in_first_half != (task % 2 == 0)) continue;
            job.checkpoint();
            cv::Mat1f here = difference_from_neighbours(views, logs, own, whole), variance;
            const cv::Mat known = here > kUnknownDifference;
            here.setTo(0, ~known);
            cv::boxFilter(here.mul(here), variance, -1, {kVarianceSide, kVarianceSide});
            cv::Mat1f trusted = 1.0f / (variance + kLeastVariance);
            trusted.setTo(0, ~known);
            sum += here.mul(trusted);
            weight += trusted;
        }
    });
    std::vector<MeanDifference> means;
    for (std::size_t hop = 0; hop < std::size(kDustHops); ++hop) {
        MeanDifference own;
        const std::size_t one = 2 * hop, other = one + 1;
        own.whole = (sums[one] + sums[other]) / (weights[one] + weights[other] + 1e-9f);
        own.halves[0] = sums[one] / (weights[one] + 1e-9f);
        own.halves[1] = sums[other] / (weights[other] + 1e-9f);
        means.push_back(std::move(own));
    }
    return means;
}

/// A place that is darker than its surroundings by a disc of some size, more so than others around.
struct Candidate {
    cv::Point at;
    double radius_px = 0, strength = 0;
};

/// How much darker a disc is than the ring around it, against what is usual around there.
cv::Mat1f standing_out(const cv::Mat1f& plane, double radius_px, const Job& job) {
    const double sigma = radius_px / 1.6;
    const cv::Mat1f darker = gaussian_blur(plane, 1.5 * sigma, job) - gaussian_blur(plane, 0.8 * sigma, job);
    const cv::Mat1f energy = darker.mul(darker);
    const auto mean_within = [&](double radius) {
        const int side = 2 * int(radius) + 1;
        cv::Mat1f mean;
        cv::boxFilter(energy, mean, -1, {side, side});
        return mean;
    };
    // Without the disc itself.
    const double wide = 9 * radius_px, narrow = 2.2 * radius_px;
    const double share = std::pow((2 * int(narrow) + 1.0) / (2 * int(wide) + 1.0), 2);
    cv::Mat1f usual = (mean_within(wide) - share * mean_within(narrow)) / (1 - share);
    cv::sqrt(cv::max(usual, 0), usual);
    return darker / (usual + 1e-6f);
}

/// @param scale  of the means: pixels of the views a side of theirs.
std::vector<Candidate> candidates(const std::vector<MeanDifference>& means, int scale, const Job& job) {
    constexpr double kStrong = 2.6, kHalfStrong = 0.8;
    constexpr int kRadii = int(std::size(kRadii_px));
    std::vector<std::vector<Candidate>> found(std::size(kDustHops) * kRadii);
    for_rows(int(found.size()), job.quiet(), [&](int task) {
        const MeanDifference& own = means[std::size_t(task / kRadii)];
        const double radius = kRadii_px[task % kRadii] / scale;
        const cv::Mat1f strength = standing_out(own.whole, radius, job.quiet()),
                        first = standing_out(own.halves[0], radius, job.quiet()),
                        second = standing_out(own.halves[1], radius, job.quiet());
        cv::Mat1f most;
        const int side = 2 * int(std::ceil(radius)) + 1;
        cv::dilate(strength, most, cv::Mat1b::ones(side, side));
        for (int y = 0; y < most.rows; ++y)
            for (int x = 0; x < most.cols; ++x)
                if (strength(y, x) > kStrong && strength(y, x) >= most(y, x) && first(y, x) > kHalfStrong &&
                    second(y, x) > kHalfStrong)
                    found[std::size_t(task)].push_back(
                        {scale * cv::Point(x, y), scale * radius, double(strength(y, x))});
    });
    std::vector<Candidate> all;
    for (const auto& own : found) all.insert(all.end(), own.begin(), own.end());
    std::stable_sort(all.begin(), all.end(),
                     [](const Candidate& a, const Candidate& b) { return a.strength > b.strength; });
    std::vector<Candidate> apart;
    for (const Candidate& own : all) {
        if (apart.size() == kMostCandidates) break;
        if (std::none_of(apart.begin(), apart.end(), [&](const Candidate& other) {
                return cv::norm(own.at - other.at) < 1.2 * std::max(own.radius_px, other.radius_px);
            }))
            apart.push_back(own);
    }
    return apart;
}

/// Chosen on seeds 11 to 16 of the rig: what is no dust explains at most .81 of what is seen there, differs
/// by halves, is deeper than dust or moved by hardly anything.
bool is_dust(const FittedDust& fit) {
    constexpr double kFaintest = 0.012, kExplained = 0.82, kHalfExplained = 0.6, kLeastMoved = 0.09,
                     kHalvesApart = 1.6, kNarrowest_px = 2.8;
    return fit.spot.depth >= kFaintest && fit.spot.depth <= kDeepestDust &&
           fit.spot.radius_px >= kNarrowest_px && fit.explained >= kExplained &&
           fit.least_explained >= kHalfExplained && fit.moved >= kLeastMoved &&
           fit.most_half <= kHalvesApart * fit.least_half;
}

/// Several places of a search may lead to the same spot: the fit that explains most of it stands for it.
std::vector<DustSpot> surely_dust(std::vector<std::optional<FittedDust>> fits) {
    std::erase_if(fits, [](const auto& fit) { return !fit || !is_dust(*fit); });
    std::stable_sort(fits.begin(), fits.end(),
                     [](const auto& a, const auto& b) { return a->explained > b->explained; });
    std::vector<DustSpot> spots;
    for (const auto& fit : fits)
        if (std::none_of(spots.begin(), spots.end(), [&](const DustSpot& other) {
                return cv::norm(fit->spot.at - other.at) < std::max(fit->spot.radius_px, other.radius_px);
            }))
            spots.push_back(fit->spot);
    std::stable_sort(spots.begin(), spots.end(),
                     [](const DustSpot& a, const DustSpot& b) { return a.depth > b.depth; });
    return spots;
}

}  // namespace

std::vector<DustSpot> find_sensor_dust(const std::vector<DustView>& views, const Job& job) {
    if (int(views.size()) < kFewestViews) return {};
    const int scale = std::max(views[0].luma.cols, views[0].luma.rows) > kSearchSide ? 2 : 1;
    const std::vector<Candidate> all =
        candidates(mean_differences(reduced(views, scale, job), job), scale, job);
    job.checkpoint(0.6);
    const std::vector<cv::Mat1f> logs = logarithms_of_light(views, job);
    std::vector<std::optional<FittedDust>> fits(all.size());
    for_rows(int(all.size()), job.quiet(), [&](int k) {
        fits[std::size_t(k)] = fit_dust(views, logs, all[std::size_t(k)].at, all[std::size_t(k)].radius_px);
    });
    std::vector<DustSpot> spots = surely_dust(fits);
    job.checkpoint(1);
    return spots;
}

}  // namespace moorhaze
