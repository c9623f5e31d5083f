// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/align/coarse_match.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/picture/cubic.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

constexpr double kTooUnlike = 0.2;       // below: nothing in common
constexpr double kSurelyAlike = 0.85;    // above: no other way needs to be tried
constexpr double kAlike = 0.55;          // above: no unusual way is tried
constexpr double kClearlyBetter = 0.05;  // of likeness
constexpr std::size_t kFewestPlaces = 60;

/// A place of the fixed picture with strong detail, on one level.
struct Place {
    float x, y;          ///< level pixels
    float value;         ///< detail there
    float across, down;  ///< its slope
    float strength;      ///< of the fixed picture
};

/// The strongest slope of each cell, where there is more than noise.
std::vector<Place> strong_places(const DetailPyramid::Level& level) {
    const cv::Mat1f& detail = level.detail;
    const int cell = detail.total() > 2'000'000 ? 6
                     : detail.total() > 200'000 ? 4
                     : detail.total() > 20'000  ? 2
                                                : 1;
    const int margin = 4;
    const int rows = std::max(0, (detail.rows - 2 * margin) / cell),
              columns = std::max(0, (detail.cols - 2 * margin) / cell);
    std::vector<Place> places(std::size_t(rows) * std::size_t(columns));
    for_rows(rows, Job{}, [&](int row) {
        for (int column = 0; column < columns; ++column) {
            Place best{};
            float most = 0;
            for (int y = margin + row * cell; y < margin + (row + 1) * cell; ++y)
                for (int x = margin + column * cell; x < margin + (column + 1) * cell; ++x) {
                    if (level.strength(y, x) < 1.5f * level.noise) continue;
                    // Five-point slopes: exact for cubics.
                    const float across =
                        (8 * (detail(y, x + 1) - detail(y, x - 1)) - detail(y, x + 2) + detail(y, x - 2)) /
                        12;
                    const float down =
                        (8 * (detail(y + 1, x) - detail(y - 1, x)) - detail(y + 2, x) + detail(y - 2, x)) /
                        12;
                    const float slope = across * across + down * down;
                    if (slope > most) {
                        most = slope;
                        best = {float(x), float(y), detail(y, x), across, down, level.strength(y, x)};
                    }
                }
            places[std::size_t(row) * std::size_t(columns) + std::size_t(column)] = best;
        }
    });
    std::erase_if(places, [](const Place& place) { return place.across == 0 && place.down == 0; });
    return places;
}

struct StepOutcome {
    bool solved = false;
    double moved_px = 0;  ///< largest movement of a corner, level pixels
    double likeness = 0;
};

/// One Gauss-Newton step; `fixed_to_moving` counts in level pixels from the centre.
StepOutcome improve(const std::vector<Place>& places, const DetailPyramid::Level& moving, float fixed_noise,
                    double loosest, Similarity& fixed_to_moving) {
    const double middle_x = (moving.detail.cols - 1) / 2.0, middle_y = (moving.detail.rows - 1) / 2.0;
    struct Sample {
        float difference, weight, product, fixed_square, moving_square;
    };
    std::vector<Sample> samples(places.size());
    std::vector<float> sizes;
    sizes.reserve(places.size());
    for (std::size_t i = 0; i < places.size(); ++i) {
        const Place& place = places[i];
        const auto there = fixed_to_moving({place.x - middle_x, place.y - middle_y});
        const double x = there.real() + middle_x, y = there.imag() + middle_y;
        samples[i] = {};
        if (!(x >= 2 && y >= 2 && x < moving.detail.cols - 3 && y < moving.detail.rows - 3)) continue;
        const float value = cubic_at(moving.detail, x, y);
        const float strength = moving.strength(int(y + 0.5), int(x + 0.5));
        const float weaker = std::min(strength, place.strength),
                    stronger = std::max(strength, place.strength);
        if (strength < 1.2f * moving.noise) continue;
        const float alike = weaker / stronger;
        const float noise = std::max(fixed_noise, moving.noise);
        const float clear = weaker * weaker / (weaker * weaker + 4 * noise * noise);
        const float weight = alike * alike * clear;
        samples[i] = {value - place.value, weight, value * place.value, place.value * place.value,
                      value * value};
        sizes.push_back(std::abs(samples[i].difference));
    }
    StepOutcome outcome;
    if (sizes.size() < kFewestPlaces) return outcome;
    std::nth_element(sizes.begin(), sizes.begin() + std::ptrdiff_t(sizes.size() / 2), sizes.end());
    const double spread = std::max(0.02, std::min(loosest, 1.48 * double(sizes[sizes.size() / 2])));

    cv::Matx44d normal = cv::Matx44d::zeros();
    cv::Vec4d right(0, 0, 0, 0);
    double weights = 0, product = 0, fixed_square = 0, moving_square = 0;
    for (std::size_t i = 0; i < places.size(); ++i) {
        const Sample& sample = samples[i];
        if (sample.weight <= 0) continue;
        const Place& place = places[i];
        // Cauchy weights: moved things and passing glints lose their weight, nothing is cut off abruptly.
        const double ratio = sample.difference / (1.5 * spread);
        const double weight = sample.weight / (1 + ratio * ratio);
        const double x = place.x - middle_x, y = place.y - middle_y;
        // How detail changes with scale, turn, and shift, at the fixed place.
        const cv::Vec4d slope(place.across * x + place.down * y, -place.across * y + place.down * x,
                              place.across, place.down);
        for (int a = 0; a < 4; ++a) {
            right[a] += weight * slope[a] * sample.difference;
            for (int b = 0; b < 4; ++b) normal(a, b) += weight * slope[a] * slope[b];
        }
        weights += weight;
        product += weight * sample.product;
        fixed_square += weight * sample.fixed_square;
        moving_square += weight * sample.moving_square;
    }
    cv::Vec4d step;
    if (weights < kFewestPlaces / 16.0 || !cv::solve(normal, right, step, cv::DECOMP_CHOLESKY))
        return outcome;
    const Similarity small{{1 + step[0], step[1]}, {step[2], step[3]}};
    fixed_to_moving = fixed_to_moving.after(small.inverse());
    const double reach = std::hypot(middle_x, middle_y);
    outcome.solved = true;
    outcome.moved_px = std::hypot(step[0], step[1]) * reach + std::hypot(step[2], step[3]);
    outcome.likeness = product / std::sqrt(std::max(1e-12, fixed_square * moving_square));
    return outcome;
}

Similarity scaled(const Similarity& similarity, double factor) {
    return {similarity.turn, similarity.shift * factor};
}

/// Steps until nothing moves any more; how alike the details then are, -1 when it came to nothing.
double settle(const DetailPyramid::Level& moving, const DetailPyramid::Level& fixed, int rounds,
              double rest_px, Similarity& fixed_to_moving) {
    const auto places = strong_places(fixed);
    double likeness = -1;
    for (int round = 0; round < rounds; ++round) {
        const auto step = improve(places, moving, fixed.noise, 1.0, fixed_to_moving);
        if (!step.solved) break;
        likeness = step.likeness;
        if (step.moved_px < rest_px) break;
    }
    if (!std::isfinite(fixed_to_moving.shift.real()) ||
        std::abs(std::log(std::abs(fixed_to_moving.turn))) > 0.5)
        return -1;
    return likeness;
}

/// The shift that phase correlation finds once the moving picture is turned and scaled back.
Similarity correlated(const cv::Mat1f& moving, const cv::Mat1f& fixed, std::complex<double> turn) {
    cv::Mat back = moving.clone();
    const double x = (fixed.cols - 1) / 2.0, y = (fixed.rows - 1) / 2.0;
    if (turn != std::complex<double>(1, 0)) {
        const cv::Matx23d fixed_to_moving(turn.real(), -turn.imag(), x - turn.real() * x + turn.imag() * y,
                                          turn.imag(), turn.real(), y - turn.imag() * x - turn.real() * y);
        cv::warpAffine(moving, back, fixed_to_moving, fixed.size(), cv::INTER_LINEAR | cv::WARP_INVERSE_MAP);
    }
    cv::Mat window;
    cv::createHanningWindow(window, fixed.size(), CV_32F);
    // It multiplies its inputs by the window in place where their size suits the transform.
    cv::Mat own = fixed.clone();
    const cv::Point2d shift = cv::phaseCorrelate(own, back, window);
    return {turn, turn * std::complex<double>(shift.x, shift.y)};
}

}  // namespace

std::optional<CoarseMatch> coarse_match(const DetailPyramid& moving, const DetailPyramid& fixed,
                                        const std::optional<Similarity>& start) {
    const int levels = int(std::min(moving.levels.size(), fixed.levels.size()));
    if (levels == 0 || moving.levels[0].detail.size() != fixed.levels[0].detail.size()) return {};
    auto level_scale = [&](int level) { return fixed.scale * double(1 << level); };
    const int coarsest = levels - 1, middle = std::max(0, levels - 2);

    CoarseMatch best;
    best.likeness = -2;
    // Of two ways that look alike, as on a texture that repeats, the one that was tried first stands.
    auto attempt = [&](Similarity here) {
        double likeness = -1;
        for (int level = coarsest; level >= middle; --level) {
            Similarity small = scaled(here, 1 / level_scale(level));
            const double own =
                settle(moving.levels[std::size_t(level)], fixed.levels[std::size_t(level)], 20, 0.02, small);
            if (own < 0) continue;
            likeness = own;
            here = scaled(small, level_scale(level));
        }
        if (likeness > best.likeness + kClearlyBetter) best = {here, likeness};
    };
    const auto& one = moving.levels[std::size_t(middle)].detail;
    const auto& other = fixed.levels[std::size_t(middle)].detail;
    auto guess = [&](std::complex<double> turn) {
        const Similarity small = correlated(one, other, turn);
        return scaled(small, level_scale(middle));
    };
    if (start) attempt(*start);
    if (best.likeness < kSurelyAlike) attempt({});
    if (best.likeness < kSurelyAlike) attempt(guess({1, 0}));
    if (best.likeness < kAlike)
        for (const double scale : {1.0, 0.93, 1.08, 0.86, 1.16, 0.8, 1.25})
            for (const double turn : {0.0, -0.05, 0.05, -0.09, 0.09})
                if (best.likeness < kSurelyAlike && (scale != 1 || turn != 0))
                    attempt(guess(std::polar(scale, turn)));

    for (int level = middle - 1; level >= 0; --level) {
        Similarity small = scaled(best.fixed_to_moving, 1 / level_scale(level));
        const double own =
            settle(moving.levels[std::size_t(level)], fixed.levels[std::size_t(level)], 12, 0.01, small);
        // A level with too little detail keeps what the coarser one found.
        if (own < 0) continue;
        best = {scaled(small, level_scale(level)), own};
    }
    if (best.likeness < kTooUnlike) return {};
    return best;
}

}  // namespace moorhaze
