// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/align/registration_view.h"

#include <algorithm>
#include <cmath>
#include <functional>

#include "core/picture/pyramid.h"
#include "core/work/clones.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

constexpr int kCoarseSide = 400, kSmallestSide = 90;
constexpr int kBlock = 8;       // detail is summed up in blocks of this many pixels
constexpr double kSharp = 0.5;  // slope by contrast of what is sharp, per pixel
constexpr int kMostSharp = 600;

/// Sums over the blocks of one row of blocks: products of slopes, what noise leaves of a mask that passes
/// edges over, values and their squares.
MOORHAZE_CLONES void sum_block_row(const float* before, const float* row, const float* after, int columns,
                                   float* sums) {
    for (int block = 0; block < columns; ++block) {
        float xx = 0, xy = 0, yy = 0, rough = 0, values = 0, squares = 0;
        for (int i = 0; i < kBlock; ++i) {
            const int x = 1 + block * kBlock + i;
            const float across = 0.5f * (row[x + 1] - row[x - 1]), down = 0.5f * (after[x] - before[x]);
            xx += across * across;
            xy += across * down;
            yy += down * down;
            const float mask = before[x - 1] - 2 * before[x] + before[x + 1] - 2 * row[x - 1] + 4 * row[x] -
                               2 * row[x + 1] + after[x - 1] - 2 * after[x] + after[x + 1];
            rough += mask * mask;
            values += row[x];
            squares += row[x] * row[x];
        }
        float* own = sums + 6 * block;
        own[0] += xx, own[1] += xy, own[2] += yy, own[3] += rough, own[4] += values, own[5] += squares;
    }
}

double smaller_root(double xx, double xy, double yy) {
    return (xx + yy) / 2 - std::hypot((xx - yy) / 2, xy);
}

void find_spots(RegistrationView::Level& level, bool finest_two, const Job& job) {
    const cv::Mat1f& luma = level.luma;
    const int margin = Spot::kReach + 3;
    const int columns = (luma.cols - 2) / kBlock, rows = (luma.rows - 2) / kBlock;
    if (std::min(luma.cols, luma.rows) < 2 * margin + 2 || rows < 2 || columns < 2) return;
    using Sums = cv::Vec6f;  // slopes' products (xx, xy, yy), rough, values, squared values
    cv::Mat_<Sums> sums(rows, columns, Sums());
    for_rows(rows, job.quiet(), [&](int block) {
        for (int i = 0; i < kBlock; ++i) {
            const int y = 1 + block * kBlock + i;
            sum_block_row(luma[y - 1], luma[y], luma[y + 1], columns, sums.ptr<float>(block));
        }
    });
    // Noise by what the quiet tenth of the picture leaves of the mask, whose squared weights sum to 36.
    // Source of the mask: Immerkær, "Fast Noise Variance Estimation", CVIU 64(2), 1996.
    std::vector<float> sorted;
    for (const Sums& sum : sums) sorted.push_back(sum[3]);
    const auto tenth = sorted.begin() + std::ptrdiff_t(sorted.size() * 2 / 5);
    std::nth_element(sorted.begin(), tenth, sorted.end());
    const double noise = std::max(1e-9, double(*tenth) / (kBlock * kBlock * 36.0));
    level.slope_noise = noise / 2;

    // The place with the most detail in its poorer direction, of every cell of a grid; and of every cell of a
    // finer grid where it is sharp.
    const double longest = std::max(luma.cols, luma.rows);
    std::vector<cv::Point> best;
    auto pick = [&](double cell, bool sharp_only) {
        const int across = std::max(1, int(luma.cols / cell)), down = std::max(1, int(luma.rows / cell));
        std::vector<cv::Point> own(std::size_t(across) * std::size_t(down), {-1, -1});
        std::vector<double> most(own.size(), 0);
        for (int y = 1; y < rows; ++y)
            for (int x = 1; x < columns; ++x) {
                const cv::Point at(1 + x * kBlock, 1 + y * kBlock);
                if (at.x < margin || at.y < margin || at.x >= luma.cols - margin ||
                    at.y >= luma.rows - margin)
                    continue;
                const Sums sum = sums(y, x) + sums(y - 1, x) + sums(y, x - 1) + sums(y - 1, x - 1);
                const double pixels = 4 * kBlock * kBlock;
                const double root = smaller_root(double(sum[0]), double(sum[1]), double(sum[2])) / pixels;
                if (root < 2 * level.slope_noise) continue;
                const double variance = double(sum[5]) / pixels - std::pow(double(sum[4]) / pixels, 2);
                const double slopes = double(sum[0] + sum[2]) / pixels - 2 * level.slope_noise;
                if (sharp_only && slopes < kSharp * kSharp * variance) continue;
                const auto place = std::size_t(at.y * down / luma.rows) * std::size_t(across) +
                                   std::size_t(at.x * across / luma.cols);
                if (root > most[place]) most[place] = root, own[place] = at;
            }
        if (sharp_only && int(own.size()) > kMostSharp) {
            auto strength = most;
            const auto last = strength.begin() + kMostSharp;
            std::nth_element(strength.begin(), last, strength.end(), std::greater<>());
            for (std::size_t i = 0; i < own.size(); ++i)
                if (most[i] < *last) own[i] = {-1, -1};
        }
        std::erase_if(own, [](cv::Point at) { return at.x < 0; });
        best.insert(best.end(), own.begin(), own.end());
    };
    pick(std::max(14.0, longest > 1200 ? longest / 30 : longest > 600 ? longest / 24 : longest / 18), false);
    if (finest_two && longest > 600) pick(std::max(20.0, longest / 70), true);
    auto before = [](cv::Point one, cv::Point other) {
        return std::pair(one.y, one.x) < std::pair(other.y, other.x);
    };
    std::sort(best.begin(), best.end(), before);
    best.erase(std::unique(best.begin(), best.end()), best.end());
    level.spots.resize(best.size());
    for_rows(int(best.size()), job.quiet(), [&](int i) {
        level.spots[std::size_t(i)] = cut_spot(luma, best[std::size_t(i)], level.slope_noise);
    });
}

}  // namespace

const std::vector<float>& spot_weights() {
    static const std::vector<float> weights = [] {
        std::vector<float> bell;
        double sum = 0;
        for (int y = -Spot::kReach; y <= Spot::kReach; ++y)
            for (int x = -Spot::kReach; x <= Spot::kReach; ++x) {
                const double height = std::exp(-(x * x + y * y) / (2 * 4.5 * 4.5));
                bell.push_back(float(height));
                sum += height;
            }
        for (float& weight : bell) weight /= float(sum);
        bell.resize(Spot::kPadded, 0.0f);
        return bell;
    }();
    return weights;
}

Spot cut_spot(const cv::Mat1f& luma, cv::Point at, double slope_noise) {
    constexpr int side = Spot::kSide, reach = Spot::kReach;
    Spot spot;
    spot.at = at;
    spot.value.resize(side * side);
    spot.across.resize(side * side);
    spot.down.resize(side * side);
    spot.round.resize(side * side);
    const auto& weights = spot_weights();
    double mean = 0, xx = 0, xy = 0, yy = 0;
    for (int y = 0; y < side; ++y)
        for (int x = 0; x < side; ++x) {
            const auto i = std::size_t(y * side + x);
            const int column = at.x - reach + x, row = at.y - reach + y;
            spot.value[i] = luma(row, column);
            mean += double(weights[i] * spot.value[i]);
            // Five-point slopes: exact for cubics.
            const float across = (8 * (luma(row, column + 1) - luma(row, column - 1)) -
                                  luma(row, column + 2) + luma(row, column - 2)) /
                                 12;
            const float down = (8 * (luma(row + 1, column) - luma(row - 1, column)) - luma(row + 2, column) +
                                luma(row - 2, column)) /
                               12;
            spot.across[i] = across;
            spot.down[i] = down;
            spot.round[i] = (4 * (luma(row, column - 1) + luma(row, column + 1) + luma(row - 1, column) +
                                  luma(row + 1, column)) +
                             luma(row - 1, column - 1) + luma(row - 1, column + 1) +
                             luma(row + 1, column - 1) + luma(row + 1, column + 1) - 20 * luma(row, column)) /
                            6;
            xx += double(weights[i] * across * across);
            xy += double(weights[i] * across * down);
            yy += double(weights[i] * down * down);
        }
    double energy = 0;
    for (std::size_t i = 0; i < spot.value.size(); ++i) {
        spot.value[i] -= float(mean);
        energy += double(weights[i] * spot.value[i] * spot.value[i]);
    }
    spot.energy = energy;
    spot.weighted_value.resize(Spot::kPadded);
    spot.weighted_across.resize(Spot::kPadded);
    spot.weighted_down.resize(Spot::kPadded);
    for (std::size_t i = 0; i < spot.value.size(); ++i) {
        spot.weighted_value[i] = weights[i] * spot.value[i];
        spot.weighted_across[i] = weights[i] * spot.across[i];
        spot.weighted_down[i] = weights[i] * spot.down[i];
        spot.across_sum += double(spot.weighted_across[i]);
        spot.down_sum += double(spot.weighted_down[i]);
        spot.own_across += double(spot.weighted_across[i] * spot.value[i]);
        spot.own_down += double(spot.weighted_down[i] * spot.value[i]);
    }
    for (int y = 1; y + 1 < side; ++y)
        for (int x = 1; x + 1 < side; ++x) {
            const float* p = spot.value.data() + y * side + x;
            const float across = 0.5f * (p[1] - p[-1]), steep = 0.5f * (p[side] - p[-side]);
            spot.steepness += double(weights[std::size_t(y * side + x)] * (across * across + steep * steep));
        }
    // Noise makes slopes too: those don't help. A slope of five points passes 130/144 of the noise's
    // variance, one of three points 1/2.
    const double noise = slope_noise * (130.0 / 144) / 0.5;
    const double held = 0.1 * (xx + yy);
    spot.slopes = {std::max(held, xx - noise), xy, xy, std::max(held, yy - noise)};
    return spot;
}

RegistrationView registration_view(const cv::Mat1f& luma, cv::Size frame, const Job& job) {
    RegistrationView view;
    view.frame = frame;
    const double shrink = double(std::max(frame.width, frame.height)) / std::max(luma.cols, luma.rows);
    view.offset = (shrink - 1) / 2;
    cv::Mat1f here = luma;
    for (double scale = shrink;; scale *= 2) {
        RegistrationView::Level level;
        level.luma = here;
        level.scale = scale;
        find_spots(level, view.levels.size() < 2, job);
        view.levels.push_back(std::move(level));
        if (view.coarse.levels.empty() && std::max(here.cols, here.rows) <= kCoarseSide)
            view.coarse = detail_pyramid(here, scale, job);
        if (std::min(here.cols, here.rows) / 2 < kSmallestSide && !view.coarse.levels.empty()) break;
        here = pyramid_down(here, job.quiet());
    }
    return view;
}

}  // namespace moorhaze
