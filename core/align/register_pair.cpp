// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/align/register_pair.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "core/picture/cubic.h"
#include "core/work/clones.h"
#include "core/work/for_rows.h"
#include "core/work/lanes.h"

namespace moorhaze {
namespace {

constexpr int kFewestSpots = 12;
constexpr double kFewestPart = 0.08;  // of the spots looked for
constexpr double kFarthestPx = 5;     // that a spot may lie from where it is expected, level pixels
constexpr double kUnlikeSpot = 0.6;
constexpr int kMostRounds = 8;
constexpr double kDusty = 0.8;   // of what was compared around a spot: dust in it spoils it
constexpr double kClear = 0.01;  // variance by noise of the clearest spots, level pixels²
/// Mean square of the slopes by contrast, per level pixel², of spots that are sharp on the finest level and
/// on the next. Found on series of the rig and of a simulated lens, of other seeds than the tests'.
constexpr double kSharpSpot = 0.12, kSharpCoarser = 0.25;
/// How far the places of sharp spots, less sharp and blurred ones may all be off together, in half diagonals.
constexpr double kCommonError[3] = {1e-5, 3e-4, 2e-3};

using Matrix8 = cv::Matx<double, kHomographyParts, kHomographyParts>;

/// Cauchy's weight of a distance given in its usual size.
double say_of(double ratio) {
    return 1 / (1 + ratio * ratio / 4);
}

/// How strongly a pair by itself holds to shift, rotation and scale: standard deviations of the other parts.
/// The joint solution is told what the spots say without this.
const HomographyParts kPairHold(1e3, 1e3, 1e3, 1e3, 2e-4, 2e-4, 1e-3, 1e-3);

struct Fit {
    Matrix8 information;
    HomographyParts step, pull;
    double scatter_px = 0, likeness = 0;
    int agreeing = 0;
};

/// One round: from how the spots lie against the map so far to a better one.
Fit fit_round(const std::vector<Correspondence>& spots, const cv::Matx33d& map, const HomographyFrame& frame,
              std::vector<double>& excess) {
    const double r = frame.half_diagonal;
    struct Off {
        cv::Vec2d apart;
        cv::Point2d at;
    };
    std::vector<Off> off(spots.size());
    for (std::size_t i = 0; i < spots.size(); ++i) {
        const Correspondence& spot = spots[i];
        const cv::Point2d there = mapped(map, spot.fixed.x, spot.fixed.y);
        // Seen from the fixed frame: through the map's slope there.
        const cv::Point2d right = mapped(map, spot.fixed.x + 1, spot.fixed.y) - there,
                          down = mapped(map, spot.fixed.x, spot.fixed.y + 1) - there;
        const cv::Point2d apart = spot.moving - there;
        const double turn = right.x * down.y - down.x * right.y;
        off[i] = {
            {(apart.x * down.y - apart.y * down.x) / turn, (apart.y * right.x - apart.x * right.y) / turn},
            {(spot.fixed.x - frame.centre_x) / r, (spot.fixed.y - frame.centre_y) / r}};
    }
    Fit fit;
    fit.information = Matrix8::zeros();
    fit.pull = HomographyParts::all(0);
    double says = 0, squares = 0, alike = 0;
    Matrix8 own_information[3] = {Matrix8::zeros(), Matrix8::zeros(), Matrix8::zeros()};
    HomographyParts pulls[3] = {HomographyParts::all(0), HomographyParts::all(0), HomographyParts::all(0)};
    for (std::size_t i = 0; i < spots.size(); ++i) {
        const Correspondence& spot = spots[i];
        const double more = excess[std::size_t(spot.level)];
        cv::Matx22d variance = spot.variance + cv::Matx22d::eye() * (more * more);
        const cv::Matx22d weight = variance.inv();
        const cv::Vec2d apart = off[i].apart;
        const double ratio = std::sqrt(std::max(0.0, apart.dot(weight * apart)) / 2);
        const double say = say_of(ratio);
        const auto moves = HomographyFrame::moves(off[i].at.x, off[i].at.y);
        const cv::Matx22d own = weight * say;
        for (int a = 0; a < kHomographyParts; ++a) {
            const cv::Vec2d move = own * (moves[std::size_t(a)] * r);
            pulls[spot.blur][a] += move.dot(apart);
            for (int b = 0; b < kHomographyParts; ++b)
                own_information[spot.blur](a, b) += move.dot(moves[std::size_t(b)] * r);
        }
        says += say;
        squares += say * apart.dot(apart) / 2;
        alike += say * spot.likeness;
        if (ratio < 2.5) ++fit.agreeing;
    }
    // What is blurred is moved by what hides a part of the lens, and all of it alike: however many spots
    // there are, together they know no more than this.
    for (int group = 0; group < 3; ++group) {
        Matrix8 free = own_information[group];
        for (int a = 0; a < kHomographyParts; ++a)
            free(a, a) += 1 / (kCommonError[group] * kCommonError[group]);
        const Matrix8 share = own_information[group] * free.inv(cv::DECOMP_CHOLESKY);
        const Matrix8 known = own_information[group] - share * own_information[group];
        fit.information += 0.5 * (known + known.t());
        fit.pull += pulls[group] - share * pulls[group];
    }
    Matrix8 held = fit.information;
    const HomographyParts now = frame.parts(map);
    HomographyParts pull = fit.pull;
    for (int a = kAspect; a < kHomographyParts; ++a) {
        const double hold = 1 / (kPairHold[a] * kPairHold[a]);
        held(a, a) += hold;
        pull[a] -= hold * now[a];
    }
    for (int a = 0; a < kHomographyParts; ++a) held(a, a) *= 1 + 1e-9;
    if (!cv::solve(held, pull, fit.step, cv::DECOMP_CHOLESKY)) fit.step = HomographyParts::all(0);
    fit.scatter_px = std::sqrt(squares / std::max(1e-9, says));
    fit.likeness = alike / std::max(1e-9, says);

    // What noise does not explain, level by level: from the third of the spots with the least noise.
    for (std::size_t level = 0; level < excess.size(); ++level) {
        std::vector<std::pair<double, double>> own;  // variance by noise, squared distance
        for (std::size_t i = 0; i < spots.size(); ++i)
            if (spots[i].level == int(level))
                own.push_back({(spots[i].variance(0, 0) + spots[i].variance(1, 1)) / 2,
                               off[i].apart.dot(off[i].apart) / 2});
        if (own.size() < 9) continue;
        const auto third = own.begin() + std::ptrdiff_t(own.size() / 3);
        std::nth_element(own.begin(), third, own.end());
        double noise = 0;
        std::vector<double> distances;
        for (auto it = own.begin(); it != third; ++it) noise += it->first, distances.push_back(it->second);
        noise /= double(distances.size());
        const auto middle = distances.begin() + std::ptrdiff_t(distances.size() / 2);
        std::nth_element(distances.begin(), middle, distances.end());
        // The middle of half the sum of two squared normal values is ln 2 of their variance.
        excess[level] = std::sqrt(std::max(0.02 * 0.02, *middle / 0.6931 - noise));
    }
    return fit;
}

/// What noise does not explain of each level's places, px, before anything is known of it.
std::vector<double> excess_at_first(const std::vector<double>& level_scales) {
    std::vector<double> excess;
    for (const double scale : level_scales) excess.push_back(0.5 * scale);
    return excess;
}

/// Lays the map through the spots.   @param scale  frame pixels per pixel of the finest level among them.
void settle_map(const std::vector<Correspondence>& spots, const HomographyFrame& frame, double scale,
                cv::Matx33d& map, std::vector<double>& excess) {
    for (int round = 0; round < kMostRounds; ++round) {
        const Fit fit = fit_round(spots, map, frame, excess);
        map = map * frame.matrix(fit.step);
        map *= 1 / map(2, 2);
        double moved = 0;
        for (int a = 0; a < kHomographyParts; ++a) moved = std::max(moved, std::abs(fit.step[a]));
        if (round > 2 && moved * frame.half_diagonal < 0.002 * scale) break;
    }
}

/// A window of the other picture as it lies, with a margin of one pixel: across first, then down.
MOORHAZE_CLONES void sample_upright(const float* picture, std::ptrdiff_t stride, double x, double y,
                                    float* out) {
    constexpr int wide = Spot::kSide + 2, tall = wide + 3;
    const int left = int(x) - Spot::kReach - 2, top = int(y) - Spot::kReach - 2;
    float across[4], down[4], rows[tall][wide];
    cubic_weights(float(x - int(x)), across);
    cubic_weights(float(y - int(y)), down);
    for (int v = 0; v < tall; ++v) {
        const float* p = picture + (top + v) * stride + left;
        for (int u = 0; u < wide; ++u)
            rows[v][u] =
                p[u] * across[0] + p[u + 1] * across[1] + p[u + 2] * across[2] + p[u + 3] * across[3];
    }
    for (int v = 0; v < wide; ++v)
        for (int u = 0; u < wide; ++u)
            out[v * wide + u] = rows[v][u] * down[0] + rows[v + 1][u] * down[1] + rows[v + 2][u] * down[2] +
                                rows[v + 3][u] * down[3];
}

/// The same turned and scaled as the other picture is there.
MOORHAZE_CLONES void sample_window(const float* picture, std::ptrdiff_t stride, double x, double y,
                                   const double* bend, float* out) {
    constexpr int reach = Spot::kReach + 1;
    int i = 0;
    for (int v = -reach; v <= reach; ++v)
        for (int u = -reach; u <= reach; ++u, ++i) {
            const double px = x + bend[0] * u + bend[1] * v, py = y + bend[2] * u + bend[3] * v;
            const int whole_x = int(px), whole_y = int(py);
            const float s = float(px - whole_x), t = float(py - whole_y);
            const float s2 = s * s, s3 = s2 * s, t2 = t * t, t3 = t2 * t;
            const float a0 = 0.5f * (-s3 + 2 * s2 - s), a1 = 0.5f * (3 * s3 - 5 * s2 + 2),
                        a2 = 0.5f * (-3 * s3 + 4 * s2 + s), a3 = 0.5f * (s3 - s2);
            const float b0 = 0.5f * (-t3 + 2 * t2 - t), b1 = 0.5f * (3 * t3 - 5 * t2 + 2),
                        b2 = 0.5f * (-3 * t3 + 4 * t2 + t), b3 = 0.5f * (t3 - t2);
            const float* p = picture + (whole_y - 1) * stride + whole_x - 1;
            const float r0 = p[0] * a0 + p[1] * a1 + p[2] * a2 + p[3] * a3;
            p += stride;
            const float r1 = p[0] * a0 + p[1] * a1 + p[2] * a2 + p[3] * a3;
            p += stride;
            const float r2 = p[0] * a0 + p[1] * a1 + p[2] * a2 + p[3] * a3;
            p += stride;
            const float r3 = p[0] * a0 + p[1] * a1 + p[2] * a2 + p[3] * a3;
            out[i] = r0 * b0 + r1 * b1 + r2 * b2 + r3 * b3;
        }
}

struct WindowSums {
    double mean = 0, square = 0;             ///< weighted, of the window
    double value = 0, across = 0, down = 0;  ///< of the window times the spot's weighted values and slopes
};

using Eight = float __attribute__((vector_size(32)));

MOORHAZE_CLONES WindowSums window_sums(const float* window, const Spot& spot, const float* weights) {
    Eight sums[5] = {};
    const float *own_value = spot.weighted_value.data(), *own_across = spot.weighted_across.data(),
                *own_down = spot.weighted_down.data();
    for (int i = 0; i < Spot::kPadded; i += 8) {
        Eight here, weight, value, across, down;
        load_lanes(window + i, here), load_lanes(weights + i, weight);
        load_lanes(own_value + i, value), load_lanes(own_across + i, across), load_lanes(own_down + i, down);
        const Eight weighted = here * weight;
        sums[0] += weighted;
        sums[1] += weighted * here;
        sums[2] += here * value;
        sums[3] += here * across;
        sums[4] += here * down;
    }
    double whole[5] = {};
    for (int k = 0; k < 5; ++k)
        for (int lane = 0; lane < 8; ++lane) whole[k] += double(sums[k][lane]);
    return {whole[0], whole[1], whole[2], whole[3], whole[4]};
}

}  // namespace

/// The last step: one frame is a little more blurred than the other, which is no noise. A picture blurred by
/// a small variance v is T + v/2 ΔT: the displacement is found together with v, and what is left is the
/// misfit.
template <std::size_t Size>
static void settle(const Spot& spot, const std::array<float, Size>& window, double mean, double gain,
                   const cv::Matx22d& bend, SpotFind& find) {
    constexpr int side = Spot::kSide, wide = side + 2;
    const auto& weights = spot_weights();
    cv::Matx33d normal = cv::Matx33d::zeros();
    cv::Vec3d right(0, 0, 0);
    double square = 0;
    for (int y = 0; y < side; ++y)
        for (int x = 0; x < side; ++x) {
            const auto i = std::size_t(y * side + x);
            const double basis[3] = {double(spot.across[i]), double(spot.down[i]), double(spot.round[i]) / 2};
            const double off =
                (double(window[std::size_t((y + 1) * wide + x + 1)]) - mean) / gain - double(spot.value[i]);
            square += double(weights[i]) * off * off;
            for (int a = 0; a < 3; ++a) {
                right[a] += double(weights[i]) * basis[a] * off;
                for (int b = a; b < 3; ++b) normal(a, b) += double(weights[i]) * basis[a] * basis[b];
            }
        }
    for (int a = 0; a < 3; ++a) {
        normal(a, a) *= 1 + 1e-6;
        for (int b = 0; b < a; ++b) normal(a, b) = normal(b, a);
    }
    const cv::Matx33d inverse = normal.inv(cv::DECOMP_CHOLESKY);
    const cv::Vec3d found = inverse * right;
    find.at.x -= bend(0, 0) * found[0] + bend(0, 1) * found[1];
    find.at.y -= bend(1, 0) * found[0] + bend(1, 1) * found[1];
    find.misfit = std::max(1e-9, square - found.dot(right));
    find.variance = cv::Matx22d(inverse(0, 0), inverse(0, 1), inverse(1, 0), inverse(1, 1)) *
                    (find.misfit / (2.0 * side));
}

std::optional<SpotFind> find_spot(const Spot& spot, const cv::Mat1f& luma, double slope_noise,
                                  cv::Point2d near, const cv::Matx22d& bend) {
    constexpr int side = Spot::kSide, wide = side + 2;
    const double margin = (Spot::kReach + 1) * (std::abs(bend(0, 0)) + std::abs(bend(0, 1))) + 3;
    const double determinant = spot.slopes(0, 0) * spot.slopes(1, 1) - spot.slopes(0, 1) * spot.slopes(1, 0);
    if (determinant <= 0) return {};
    const auto& weights = spot_weights();
    std::array<float, wide * wide> window;
    std::array<float, Spot::kPadded> inner{};
    // Where the window's rim moves by less than a seventh of a pixel, the same all round, its middle stays.
    const double rim = Spot::kReach * std::max({std::abs(bend(0, 0) - 1), std::abs(bend(1, 1) - 1),
                                                std::abs(bend(0, 1)), std::abs(bend(1, 0))});
    const bool upright = rim < 0.15;
    SpotFind find;
    find.at = near;
    for (int round = 0; round < 6; ++round) {
        if (!(find.at.x > margin && find.at.y > margin && find.at.x < luma.cols - 1 - margin &&
              find.at.y < luma.rows - 1 - margin))
            return {};
        if (upright)
            sample_upright(luma[0], std::ptrdiff_t(luma.step1()), find.at.x, find.at.y, window.data());
        else
            sample_window(luma[0], std::ptrdiff_t(luma.step1()), find.at.x, find.at.y, bend.val,
                          window.data());
        // Counted from the middle pixel, so that small contrasts don't drown in large values.
        const float pivot = window[std::size_t(wide * wide / 2)];
        for (int y = 0; y < side; ++y)
            for (int x = 0; x < side; ++x)
                inner[std::size_t(y * side + x)] = window[std::size_t((y + 1) * wide + x + 1)] - pivot;
        const WindowSums sums = window_sums(inner.data(), spot, weights.data());
        const double middle = sums.mean, mean = middle + double(pivot);
        const double product = sums.value, square = sums.square - middle * middle,
                     pull_x = sums.across - middle * spot.across_sum,
                     pull_y = sums.down - middle * spot.down_sum;
        if (product <= 0 || square <= 0) return {};
        const double gain = product / spot.energy;
        const double right = pull_x / gain - spot.own_across, down = pull_y / gain - spot.own_down;
        const double step_x = (spot.slopes(1, 1) * right - spot.slopes(0, 1) * down) / determinant;
        const double step_y = (spot.slopes(0, 0) * down - spot.slopes(1, 0) * right) / determinant;
        find.likeness = product / std::sqrt(spot.energy * square);
        find.misfit = spot.energy * (1 - find.likeness * find.likeness);
        const double length = std::hypot(step_x, step_y), held = length > 2 ? 2 / length : 1;
        const bool rest = length < 0.01;
        if (round > 0 && find.likeness < 0.4) return {};
        if (rest || round == 5) {
            if (length > 0.1) return {};
            double slopes = 0;
            for (int y = 0; y < side; ++y)
                for (int x = 0; x < side; ++x) {
                    const float* p = window.data() + (y + 1) * wide + x + 1;
                    const float across = 0.5f * (p[1] - p[-1]), steep = 0.5f * (p[wide] - p[-wide]);
                    slopes += double(weights[std::size_t(y * side + x)] * (across * across + steep * steep));
                }
            const double own = spot.steepness;
            const double least = 2 * slope_noise;
            settle(spot, window, mean, gain, bend, find);
            find.balance =
                0.5 * std::log(std::max(0.1 * slopes, slopes - least) / std::max(0.1 * own, own - least));
            return find;
        }
        find.at.x -= held * (bend(0, 0) * step_x + bend(0, 1) * step_y);
        find.at.y -= held * (bend(1, 0) * step_x + bend(1, 1) * step_y);
        if (std::hypot(find.at.x - near.x, find.at.y - near.y) > kFarthestPx) return {};
    }
    return {};
}

std::optional<PairSpots> match_pair(const RegistrationView& moving, const RegistrationView& fixed,
                                    const std::optional<cv::Matx33d>& start, const Job& job) {
    if (moving.frame != fixed.frame || moving.levels.size() != fixed.levels.size()) return {};
    const HomographyFrame frame(fixed.frame);
    std::optional<Similarity> guess;
    if (start) {
        const HomographyParts parts = frame.parts(*start);
        guess = Similarity{std::polar(std::exp(parts[kGrowth]), parts[kTurn]),
                           std::complex<double>(parts[kRight], parts[kDown]) * frame.half_diagonal};
    }
    const auto coarse = coarse_match(moving.coarse, fixed.coarse, guess);
    if (!coarse) return {};
    HomographyParts parts = HomographyParts::all(0);
    parts[kGrowth] = std::log(std::abs(coarse->fixed_to_moving.turn));
    parts[kTurn] = std::arg(coarse->fixed_to_moving.turn);
    parts[kRight] = coarse->fixed_to_moving.shift.real() / frame.half_diagonal;
    parts[kDown] = coarse->fixed_to_moving.shift.imag() / frame.half_diagonal;
    cv::Matx33d map = frame.matrix(parts);

    PairSpots spots;
    spots.frame = fixed.frame;
    for (const RegistrationView::Level& level : fixed.levels) spots.level_scales.push_back(level.scale);
    std::vector<double> excess = excess_at_first(spots.level_scales);
    for (int place = int(fixed.levels.size()) - 1; place >= 0; --place) {
        job.checkpoint();
        const auto& own = fixed.levels[std::size_t(place)];
        const auto& other = moving.levels[std::size_t(place)];
        if (own.luma.size() != other.luma.size()) return {};
        spots.tried += own.spots.size();
        std::vector<std::optional<Correspondence>> level(own.spots.size());
        for_rows(int(own.spots.size()), job.quiet(), [&](int i) {
            const Spot& spot = own.spots[std::size_t(i)];
            const cv::Point2d at = fixed.frame_px(own, spot.at.x, spot.at.y);
            const cv::Point2d there = mapped(map, at.x, at.y);
            const cv::Point2d right = mapped(map, at.x + 1, at.y) - there,
                              down = mapped(map, at.x, at.y + 1) - there;
            const cv::Matx22d bend(right.x, down.x, right.y, down.y);
            const cv::Point2d near((there.x - moving.offset) / other.scale,
                                   (there.y - moving.offset) / other.scale);
            const auto find = find_spot(spot, other.luma, other.slope_noise, near, bend);
            if (!find || find->likeness < kUnlikeSpot) return;
            const cv::Matx22d variance = find->variance * (own.scale * own.scale);
            const double noise = (variance(0, 0) + variance(1, 1)) / 2 / (own.scale * own.scale);
            // What is sharper in one of them lies off the plane halfway between both planes of focus.
            const double tilt = 0.3 * find->balance, level_floor = 0.03 * place;
            // In the frame where it is less sharp.
            const double sharp = (spot.slopes(0, 0) + spot.slopes(1, 1)) / std::max(1e-12, spot.energy) *
                                 std::exp(2 * std::min(0.0, find->balance));
            const double least = place == 0 ? kSharpSpot : kSharpCoarser;
            const int group = place <= 1 && noise < kClear && sharp > least            ? 0
                              : place <= 1 && noise < 2 * kClear && sharp > kSharpSpot ? 1
                                                                                       : 2;
            level[std::size_t(i)] = {
                at,
                moving.frame_px(other, find->at.x, find->at.y),
                variance + cv::Matx22d::eye() * (tilt * tilt + level_floor * level_floor),
                find->likeness,
                group,
                place,
                Spot::kReach * own.scale};
        });
        for (const auto& spot : level)
            if (spot) spots.found.push_back(*spot);
        if (int(spots.found.size()) < kFewestSpots) continue;
        settle_map(spots.found, frame, own.scale, map, excess);
    }
    if (int(spots.found.size()) < std::max(kFewestSpots, int(kFewestPart * double(spots.tried)))) return {};
    spots.fixed_to_moving = map;
    return spots;
}

std::optional<PairRegistration> lay_pair(const PairSpots& spots, const std::vector<RestingPlace>& resting) {
    const HomographyFrame frame(spots.frame);
    std::vector<Correspondence> clear;
    for (const Correspondence& own : spots.found)
        if (std::none_of(resting.begin(), resting.end(), [&](const RestingPlace& place) {
                const double reach = place.breadth_px + kDusty * own.reach_px;
                return place.level == own.level &&
                       (cv::norm(own.fixed - place.at) < reach || cv::norm(own.moving - place.at) < reach);
            }))
            clear.push_back(own);
    const std::size_t left_out = spots.found.size() - clear.size();
    if (int(clear.size()) < kFewestSpots) return {};
    PairRegistration result;
    cv::Matx33d map = spots.fixed_to_moving;
    std::vector<double> excess = excess_at_first(spots.level_scales);
    settle_map(clear, frame, spots.level_scales[0], map, excess);
    const Fit fit = fit_round(clear, map, frame, excess);
    if (fit.agreeing < std::max(kFewestSpots, int(kFewestPart * double(spots.tried - left_out)))) return {};
    result.fixed_to_moving = map;
    result.information = fit.information;
    result.pull = fit.pull;
    result.scatter_px = fit.scatter_px;
    result.likeness = fit.likeness;
    result.spots = fit.agreeing;
    return result;
}

std::optional<PairRegistration> register_pair(const RegistrationView& moving, const RegistrationView& fixed,
                                              const std::optional<cv::Matx33d>& start, const Job& job) {
    const std::optional<PairSpots> spots = match_pair(moving, fixed, start, job);
    if (!spots) return {};
    return lay_pair(*spots, {});
}

}  // namespace moorhaze
