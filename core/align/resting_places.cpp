// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/align/resting_places.h"

#include <cmath>
#include <map>
#include <tuple>

namespace moorhaze {
namespace {

constexpr double kCell = 6;  // level px: a place's side; spots lie on whole pixels, and dust has a breadth
constexpr double kRestsWithin = 0.1;  // level px, beside noise: what rests is found as near to where it was
constexpr int kLeastFound = 4;        // of different pairs
constexpr double kLeastShare = 0.6;   // of what is found there that rests
constexpr double kLeastSaid =
    4;                          // logarithm of how much better rest explains it than moving with the picture
constexpr double kBreadth = 3;  // level px

/// What was found of a place.
struct Said {
    int found = 0, resting = 0;
    double for_rest = 0;
    cv::Point2d sum;
};

/// How unlikely a distance is, few strays being no surprise: the negative logarithm of Cauchy's density.
double unlikely(double squared, double variance) {
    return std::log1p(squared / (2 * variance));
}

}  // namespace

std::vector<RestingPlace> resting_places(const std::vector<MeasuredPair>& pairs) {
    // Four grids, so that no place lies on a border in all of them; keys in order, whatever the machine.
    using Key = std::tuple<int, int, int, int>;  // level, grid, row, column
    std::map<Key, Said> said;
    for (const MeasuredPair& pair : pairs)
        for (const Correspondence& own : pair.spots.found) {
            const double scale = pair.spots.level_scales[std::size_t(own.level)];
            const cv::Point2d moved = own.moving - own.fixed,
                              expected =
                                  mapped(pair.pair.fixed_to_moving, own.fixed.x, own.fixed.y) - own.fixed;
            const double variance =
                (own.variance(0, 0) + own.variance(1, 1)) / 2 + kRestsWithin * scale * kRestsWithin * scale;
            const double rest = unlikely(moved.dot(moved), variance),
                         along = unlikely((moved - expected).dot(moved - expected), variance);
            for (int grid = 0; grid < 4; ++grid) {
                const double side = kCell * scale;
                Said& place = said[{own.level, grid, int(std::floor(own.fixed.y / side + 0.5 * (grid / 2))),
                                    int(std::floor(own.fixed.x / side + 0.5 * (grid % 2)))}];
                ++place.found;
                place.resting += moved.dot(moved) < 2 * 4 * variance ? 1 : 0;
                place.for_rest += along - rest;
                place.sum += own.fixed;
            }
        }
    std::vector<RestingPlace> resting;
    for (const auto& [key, place] : said) {
        if (place.found < kLeastFound || place.resting < kLeastShare * place.found ||
            place.for_rest < kLeastSaid)
            continue;
        const int level = std::get<0>(key);
        resting.push_back({place.sum * (1.0 / place.found),
                           kBreadth * pairs[0].spots.level_scales[std::size_t(level)], level});
    }
    return resting;
}

}  // namespace moorhaze
