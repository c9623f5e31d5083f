// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/align/far_links.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <opencv2/imgproc.hpp>
#include <optional>

#include "core/picture/blur.h"
#include "core/picture/pyramid.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

// Places among the frames given count from 0, near to far. Pixels are those of the plane. Chosen on layered
// series of seeds 51 to 68.
constexpr int kLongestSide = 1000;
constexpr int kFewestFrames = 8;
constexpr double kFine = 1.0, kGathered = 2.5;  // sigmas: what is finer is sharpness, gathered around a place
constexpr double kWindow = 5;                   // sigma: so far around a spot counts
constexpr float kOneDepth = 2;      // variance of the places of frames around: more is several depths
constexpr float kStandsOut = 1.5;   // times the mean of all frames: sharpness that tells of a depth
constexpr float kTextured = 1e-5f;  // sharpness that growth is read off
constexpr std::array kDiscs = {0.0, 0.7, 1.0, 1.4, 2.0, 2.8, 4.0, 5.6, 8.0, 11.3, 16.0};  // radii
constexpr int kLeastApart = 3;       // places: nearer ones are compared as they are
constexpr std::size_t kLeastOf = 3;  // spots of a pair
constexpr double kCoarse = 2;        // frame pixels: of larger ones the spots of a pair err together
constexpr int kGrowths = 32;         // that are tried, each so many times the one before
constexpr double kLeastGrowth = 0.2, kGrowthRatio = 1.12;
constexpr int kGrowthStep = 16, kGrowthReach = 10;
constexpr int kLeastComparisons = 30;
constexpr double kMostAgainst = 1, kToldBy = 0.1;  // logarithms of squared differences, see BlurGrowth
constexpr int kToldWithin = 4;

/// The sharpest of each place.
struct Sharpest {
    cv::Mat1f picture;
    cv::Mat1s place;   ///< that it is from
    cv::Mat1b is_one;  ///< 255 where that is told, and the same all around
    cv::Mat1f energy;
};

/// A radius between two of kDiscs.
struct BetweenDiscs {
    std::size_t below = 0;
    float part = 0;  ///< of the next
    explicit BetweenDiscs(double radius) {
        while (below + 2 < kDiscs.size() && kDiscs[below + 1] < radius) ++below;
        part = float(std::clamp((radius - kDiscs[below]) / (kDiscs[below + 1] - kDiscs[below]), 0.0, 1.0));
    }
};

cv::Mat1f uniform_disc(double radius) {
    constexpr int kParts = 5;
    const int reach = int(std::ceil(radius + 0.5));
    cv::Mat1f kernel(2 * reach + 1, 2 * reach + 1, 0.0f);
    for (int y = 0; y < kernel.rows; ++y)
        for (int x = 0; x < kernel.cols; ++x)
            for (int part = 0; part < kParts * kParts; ++part)
                kernel(y, x) += std::hypot(x - reach + (part % kParts - 2.0) / kParts,
                                           y - reach + (part / kParts - 2.0) / kParts) <= radius
                                    ? 1.0f
                                    : 0.0f;
    return kernel / cv::sum(kernel)[0];
}

/// The frames at a size that links are looked for at.
std::vector<SmallFrame> at_link_size(const std::vector<SmallFrame>& frames, const Job& job) {
    std::vector<SmallFrame> made = frames;
    while (std::max(made[0].luma.cols, made[0].luma.rows) > kLongestSide)
        for (SmallFrame& own : made) {
            own.luma = pyramid_down(own.luma, job);
            own.scale *= 2;
        }
    return made;
}

cv::Matx33d to_frame_of(const SmallFrame& own) {
    return {own.scale, 0, own.offset, 0, own.scale, own.offset, 0, 0, 1};
}

Sharpest sharpest_of(const std::vector<cv::Mat1f>& laid, const Job& job) {
    const cv::Size size = laid[0].size();
    Sharpest made{cv::Mat1f(size), cv::Mat1s(size, short(0)), cv::Mat1b(size, uchar(0)),
                  cv::Mat1f(size, -1.0f)};
    cv::Mat1f sum(size, 0.0f);
    for (std::size_t k = 0; k < laid.size(); ++k) {
        cv::Mat1f fine = laid[k] - cv::Mat1f(gaussian_blur(laid[k], kFine, job));
        const cv::Mat1f energy = gaussian_blur(fine.mul(fine), kGathered, job);
        for_rows(size.height, job, [&](int y) {
            for (int x = 0; x < size.width; ++x) {
                sum(y, x) += energy(y, x);
                if (energy(y, x) > made.energy(y, x))
                    made.energy(y, x) = energy(y, x), made.place(y, x) = short(k);
            }
        });
    }
    cv::medianBlur(made.place, made.place, 5);
    cv::Mat1f place;
    made.place.convertTo(place, CV_32F);
    const cv::Mat1f mean = gaussian_blur(place, kWindow, job),
                    square = gaussian_blur(place.mul(place), kWindow, job);
    const auto count = float(laid.size());
    for_rows(size.height, job, [&](int y) {
        for (int x = 0; x < size.width; ++x) {
            made.picture(y, x) = laid[std::size_t(made.place(y, x))](y, x);
            if (square(y, x) - mean(y, x) * mean(y, x) < kOneDepth &&
                made.energy(y, x) * count > kStandsOut * sum(y, x))
                made.is_one(y, x) = 255;
        }
    });
    return made;
}

/// The picture spread by each of kDiscs, in linear light; back on the square-root scale.
std::vector<cv::Mat1f> spread_by_discs(const cv::Mat1f& picture, const Job& job) {
    std::vector<cv::Mat1f> spread(kDiscs.size());
    const cv::Mat1f light = picture.mul(picture);
    for_rows(int(kDiscs.size()), job, [&](int i) {
        cv::Mat1f& own = spread[std::size_t(i)];
        if (i == 0) {
            own = picture.clone();
            return;
        }
        cv::filter2D(light, own, -1, uniform_disc(kDiscs[std::size_t(i)]), {-1, -1}, 0,
                     cv::BORDER_REFLECT_101);
        cv::sqrt(cv::max(own, 0), own);
    });
    return spread;
}

/// How much a disc grows from place to place: by how much each growth explains frames some places away worse
/// than the best disc does, each comparison having a limited say.   @return  nothing where it is not told.
std::optional<double> growth_of(const Sharpest& sharp, const std::vector<cv::Mat1f>& spread,
                                const std::vector<cv::Mat1f>& laid, const Job& job) {
    struct Said {
        std::array<double, kGrowths> against{};
        int comparisons = 0;
    };
    const auto growth_numbered = [](int number) { return kLeastGrowth * std::pow(kGrowthRatio, number); };
    const int last = int(laid.size()) - 1, across = sharp.place.cols, down = sharp.place.rows;
    std::vector<Said> rows(std::size_t(down / kGrowthStep));
    for_rows(int(rows.size()), job, [&](int row) {
        const int y = row * kGrowthStep;
        if (y < kGrowthReach || y + kGrowthReach >= down) return;
        Said& said = rows[std::size_t(row)];
        for (int x = kGrowthStep; x + kGrowthReach < across; x += kGrowthStep) {
            const int place = sharp.place(y, x);
            // What lies before the first or behind the last has their place.
            if (!sharp.is_one(y, x) || sharp.energy(y, x) < kTextured || place < 1 || place >= last) continue;
            const cv::Rect box(x - kGrowthReach, y - kGrowthReach, 2 * kGrowthReach + 1,
                               2 * kGrowthReach + 1);
            for (const int off : {-8, -6, -4, -3, 3, 4, 6, 8}) {
                if (place + off < 0 || place + off > last) continue;
                const cv::Mat1f shot = laid[std::size_t(place + off)](box);
                std::array<double, kDiscs.size()> differ{};
                for (std::size_t i = 0; i < kDiscs.size(); ++i) {
                    cv::Mat1f apart = spread[i](box) - shot;
                    apart -= cv::mean(apart)[0];
                    differ[i] = std::log(apart.dot(apart) + 1e-9);
                }
                const double least = *std::min_element(differ.begin(), differ.end());
                for (int number = 0; number < kGrowths; ++number) {
                    const BetweenDiscs at(growth_numbered(number) * std::abs(off));
                    said.against[std::size_t(number)] +=
                        std::min(kMostAgainst,
                                 std::lerp(differ[at.below], differ[at.below + 1], double(at.part)) - least);
                }
                ++said.comparisons;
            }
        }
    });
    Said all;
    for (const Said& own : rows) {
        all.comparisons += own.comparisons;
        for (std::size_t i = 0; i < kGrowths; ++i) all.against[i] += own.against[i];
    }
    if (all.comparisons < kLeastComparisons) return {};
    const auto best = int(std::min_element(all.against.begin(), all.against.end()) - all.against.begin());
    const auto is_worse = [&](int number) {
        return number < 0 || number >= kGrowths ||
               all.against[std::size_t(number)] > all.against[std::size_t(best)] + kToldBy * all.comparisons;
    };
    if (best == 0 || best + 1 == kGrowths || !is_worse(best - kToldWithin) || !is_worse(best + kToldWithin))
        return {};
    return growth_numbered(best);
}

}  // namespace

std::vector<MeasuredPair> far_links(const std::vector<SmallFrame>& frames, const SeriesGeometry& geometry,
                                    const Job& job) {
    const int count = int(frames.size());
    if (count < kFewestFrames) return {};
    const std::vector<SmallFrame> small = at_link_size(frames, job.quiet());
    const cv::Size size = small[0].luma.size();
    const double scale = small[0].scale;
    const cv::Matx33d plane_to_reference = to_frame_of(small[0]);
    std::vector<cv::Mat1f> laid(small.size());
    std::vector<cv::Matx33d> to_frame(small.size());  // of the plane
    for_rows(count, job.quiet(), [&](int k) {
        const SmallFrame& own = small[std::size_t(k)];
        to_frame[std::size_t(k)] = geometry.frames[std::size_t(own.index)].matrix.inv() * plane_to_reference;
        cv::warpPerspective(own.luma, laid[std::size_t(k)], to_frame_of(own).inv() * to_frame[std::size_t(k)],
                            size, cv::INTER_CUBIC | cv::WARP_INVERSE_MAP, cv::BORDER_REPLICATE);
    });
    job.checkpoint(0.1);
    const Sharpest sharp = sharpest_of(laid, job.quiet());
    const std::vector<cv::Mat1f> spread = spread_by_discs(sharp.picture, job.quiet());
    const std::optional<double> growth = growth_of(sharp, spread, laid, job.quiet());
    if (!growth) return {};
    job.checkpoint(0.4);

    std::vector<std::vector<MeasuredPair>> links(small.size());
    for_rows(count, job.part(0.4, 1), [&](int k) {
        cv::Mat1f expected(size);
        for (int y = 0; y < size.height; ++y)
            for (int x = 0; x < size.width; ++x) {
                const BetweenDiscs at(*growth * std::abs(sharp.place(y, x) - k));
                expected(y, x) = std::lerp(spread[at.below](y, x), spread[at.below + 1](y, x), at.part);
            }
        const auto spots =
            match_pair(registration_view(laid[std::size_t(k)], size, job.quiet()),
                       registration_view(expected, size, job.quiet()), cv::Matx33d::eye(), job.quiet());
        if (!spots) return;
        std::map<int, PairSpots> by_place;
        for (const Correspondence& own : spots->found) {
            const cv::Point at(cvRound(own.fixed.x), cvRound(own.fixed.y));
            const int place = sharp.place(at);
            if (!sharp.is_one(at) || std::abs(place - k) < kLeastApart ||
                *growth * std::abs(place - k) > kDiscs.back())
                continue;
            Correspondence link = own;
            link.fixed = mapped(to_frame[std::size_t(place)], own.fixed.x, own.fixed.y);
            link.moving = mapped(to_frame[std::size_t(k)], own.moving.x, own.moving.y);
            link.variance = own.variance * (scale * scale);
            link.reach_px = own.reach_px * scale;
            link.blur = scale < kCoarse ? 0 : 1;  // that it is blurred was reckoned with
            by_place[place].found.push_back(link);
        }
        for (auto& own : by_place) {
            const auto place = std::size_t(own.first);
            PairSpots& pair = own.second;
            if (pair.found.size() < kLeastOf) continue;
            pair.frame = cv::Size(cvRound(size.width * scale), cvRound(size.height * scale));
            for (const double level : spots->level_scales) pair.level_scales.push_back(level * scale);
            pair.fixed_to_moving = to_frame[std::size_t(k)] * to_frame[place].inv();
            links[std::size_t(k)].push_back(
                {small[std::size_t(k)].index, small[place].index, said_by(pair), {}});
        }
    });
    std::vector<MeasuredPair> all;
    for (const auto& own : links) all.insert(all.end(), own.begin(), own.end());
    return all;
}

}  // namespace moorhaze
