// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/align/level_light.h"

#include <Eigen/SparseCholesky>
#include <algorithm>
#include <cmath>
#include <optional>

#include "core/align/homography.h"

namespace moorhaze {
namespace {

constexpr float kBlackest = 0.003f, kBrightest = 0.75f;  // linear light that is compared
constexpr int kAcross = 40;                              // places compared along the longer side

struct Ratio {
    cv::Vec3d log;          ///< of fixed by moving, by colour
    double square, fourth;  ///< of r in the moving frame less that in the fixed one
};
struct Compared {
    int moving, fixed;
    std::vector<Ratio> ratios;
};
struct Difference {
    int moving, fixed;
    cv::Vec3d log;
    double weight;
};

std::optional<cv::Vec3f> light_at(const cv::Mat3f& picture, cv::Size frame, cv::Point2d place) {
    const double x = (place.x + 0.5) * picture.cols / frame.width - 0.5,
                 y = (place.y + 0.5) * picture.rows / frame.height - 0.5;
    if (!(x >= 0 && y >= 0 && x < picture.cols - 1 && y < picture.rows - 1)) return {};
    const int left = int(x), top = int(y);
    const auto s = float(x - left), t = float(y - top);
    return (picture(top, left) * (1 - s) + picture(top, left + 1) * s) * (1 - t) +
           (picture(top + 1, left) * (1 - s) + picture(top + 1, left + 1) * s) * t;
}

/// The mean of the middle half: as robust as the median, half its scatter.
double middle_mean(std::vector<double>& values) {
    std::sort(values.begin(), values.end());
    const std::size_t from = values.size() / 4, to = values.size() - from;
    double sum = 0;
    for (std::size_t i = from; i < to; ++i) sum += values[i];
    return sum / double(to - from);
}

/// Least squares of values whose differences were measured; the reference is 0.
std::vector<double> from_differences(int count, int reference, const std::vector<Difference>& differences,
                                     auto&& of) {
    std::vector<Eigen::Triplet<double>> entries;
    Eigen::VectorXd right = Eigen::VectorXd::Zero(count);
    for (const Difference& own : differences) {
        entries.emplace_back(own.moving, own.moving, own.weight);
        entries.emplace_back(own.fixed, own.fixed, own.weight);
        entries.emplace_back(own.moving, own.fixed, -own.weight);
        entries.emplace_back(own.fixed, own.moving, -own.weight);
        right[own.moving] += own.weight * of(own);
        right[own.fixed] -= own.weight * of(own);
    }
    for (int i = 0; i < count; ++i) entries.emplace_back(i, i, i == reference ? 1e9 : 1e-9);
    Eigen::SparseMatrix<double> normal(count, count);
    normal.setFromTriplets(entries.begin(), entries.end());
    const Eigen::SimplicialLDLT<Eigen::SparseMatrix<double>> factored(normal);
    const Eigen::VectorXd found = factored.solve(right);
    return {found.data(), found.data() + count};
}

}  // namespace

LevelledLight level_light(const std::vector<cv::Mat3f>& light, const std::vector<cv::Matx33d>& matrices,
                          cv::Size frame, int reference, Levelling levelling) {
    const int count = int(light.size());
    LevelledLight levelled;
    levelled.gains.assign(std::size_t(count), {1, 1, 1});
    if (levelling == Levelling::off || light[std::size_t(reference)].empty()) return levelled;
    std::vector<int> frames;
    for (int i = 0; i < count; ++i)
        if (!light[std::size_t(i)].empty()) frames.push_back(i);

    const HomographyFrame middle(frame);
    std::vector<Compared> compared;
    const double step = std::max(frame.width, frame.height) / double(kAcross);
    auto compare = [&](int moving, int fixed) {
        Compared pair{moving, fixed, {}};
        const cv::Matx33d to_moving = matrices[std::size_t(moving)].inv() * matrices[std::size_t(fixed)];
        for (double y = step / 2; y < frame.height; y += step)
            for (double x = step / 2; x < frame.width; x += step) {
                const cv::Point2d there = mapped(to_moving, x, y);
                const auto one = light_at(light[std::size_t(moving)], frame, there),
                           other = light_at(light[std::size_t(fixed)], frame, {x, y});
                if (!one || !other) continue;
                bool fair = true;
                Ratio ratio{};
                for (int c = 0; c < 3; ++c) {
                    fair = fair && std::min((*one)[c], (*other)[c]) > kBlackest &&
                           std::max((*one)[c], (*other)[c]) < kBrightest;
                    if (fair) ratio.log[c] = std::log(double((*other)[c]) / double((*one)[c]));
                }
                if (!fair) continue;
                auto radius = [&](double px, double py) {
                    const double u = (px - middle.centre_x) / middle.half_diagonal,
                                 v = (py - middle.centre_y) / middle.half_diagonal;
                    return u * u + v * v;
                };
                const double moved = radius(there.x, there.y), stays = radius(x, y);
                ratio.square = moved - stays;
                ratio.fourth = moved * moved - stays * stays;
                pair.ratios.push_back(ratio);
            }
        if (pair.ratios.size() >= 24) compared.push_back(std::move(pair));
    };
    for (std::size_t k = 0; k < frames.size(); ++k)
        for (std::size_t hop = 1; hop <= k; hop *= 2) compare(frames[k], frames[k - hop]);
    if (compared.empty()) return levelled;

    // Gains given the fall-off, the fall-off given the gains.
    std::vector<Difference> differences;
    auto measure = [&] {
        differences.clear();
        for (const Compared& pair : compared) {
            Difference difference{pair.moving, pair.fixed, {}, double(pair.ratios.size())};
            for (int c = 0; c < 3; ++c) {
                std::vector<double> values;
                for (const Ratio& ratio : pair.ratios)
                    // A corner of the moving frame is darker by the fall-off: that is not the flash.
                    values.push_back(ratio.log[c] - levelled.vignetting.square * ratio.square -
                                     levelled.vignetting.fourth * ratio.fourth);
                difference.log[c] = middle_mean(values);
            }
            differences.push_back(difference);
        }
    };
    for (int round = 0; round < 4; ++round) {
        measure();
        double ss = 0, sf = 0, ff = 0, st = 0, ft = 0, squares = 0, says = 0;
        for (std::size_t k = 0; k < compared.size(); ++k) {
            std::vector<double> sizes;
            std::vector<double> off;
            for (const Ratio& ratio : compared[k].ratios) {
                const cv::Vec3d apart = ratio.log - differences[k].log;
                off.push_back((apart[0] + apart[1] + apart[2]) / 3);
                sizes.push_back(std::abs(off.back() - levelled.vignetting.square * ratio.square -
                                         levelled.vignetting.fourth * ratio.fourth));
            }
            const std::vector<double> sizes_in_order = sizes;
            std::nth_element(sizes.begin(), sizes.begin() + std::ptrdiff_t(sizes.size() / 2), sizes.end());
            const double spread = std::max(1e-4, 1.48 * sizes[sizes.size() / 2]);
            // Against the pair's own means: what is the same all over is its gain.
            std::vector<double> own_says(off.size());
            double sum = 0, off_mean = 0, square_mean = 0, fourth_mean = 0;
            for (std::size_t i = 0; i < off.size(); ++i) {
                const Ratio& ratio = compared[k].ratios[i];
                const double now = sizes_in_order[i];
                own_says[i] = 1 / (spread * spread * (1 + now * now / (4 * spread * spread)));
                sum += own_says[i];
                off_mean += own_says[i] * off[i];
                square_mean += own_says[i] * ratio.square;
                fourth_mean += own_says[i] * ratio.fourth;
                squares += own_says[i] * now * now, says += 1;
            }
            off_mean /= sum, square_mean /= sum, fourth_mean /= sum;
            for (std::size_t i = 0; i < off.size(); ++i) {
                const Ratio& ratio = compared[k].ratios[i];
                const double square = ratio.square - square_mean, fourth = ratio.fourth - fourth_mean;
                ss += own_says[i] * square * square;
                sf += own_says[i] * square * fourth;
                ff += own_says[i] * fourth * fourth;
                st += own_says[i] * square * (off[i] - off_mean);
                ft += own_says[i] * fourth * (off[i] - off_mean);
            }
        }
        // Held near none: places that lie beside each other err together (about 30 as one), and fall-off
        // above a factor of two towards the corners is not expected.
        const double calm = says / std::max(1e-12, squares) / 30, hold = 1 / (0.35 * 0.35);
        ss = ss * calm + hold, ff = ff * calm + hold, sf *= calm, st *= calm, ft *= calm;
        const double determinant = ss * ff - sf * sf;
        levelled.vignetting = {(ff * st - sf * ft) / determinant, (ss * ft - sf * st) / determinant};
        // What it explains must stand clear of chance: the gain in cost, in units of the scatter.
        const double explained = levelled.vignetting.square * st + levelled.vignetting.fourth * ft;
        if (explained < 12) levelled.vignetting = {};
    }
    measure();

    std::vector<double> by_colour[3];
    for (int c = 0; c < 3; ++c)
        by_colour[c] = from_differences(count, reference, differences,
                                        [&](const Difference& own) { return own.log[c]; });
    // Do the colours differ by more than what the comparisons disagree by?
    double tint = 0, doubt = 0;
    for (const int i : frames) {
        const auto place = std::size_t(i);
        const double mean = (by_colour[0][place] + by_colour[1][place] + by_colour[2][place]) / 3;
        for (const auto& values : by_colour)
            tint += std::pow(values[place] - mean, 2) / (3.0 * double(frames.size()));
    }
    for (const Difference& own : differences) {
        cv::Vec3d off;
        for (int c = 0; c < 3; ++c)
            off[c] =
                own.log[c] - by_colour[c][std::size_t(own.moving)] + by_colour[c][std::size_t(own.fixed)];
        const double mean = (off[0] + off[1] + off[2]) / 3;
        for (int c = 0; c < 3; ++c) doubt += std::pow(off[c] - mean, 2) / (3.0 * double(differences.size()));
    }
    const bool colour = levelling == Levelling::colour ||
                        (levelling == Levelling::automatic && tint > 4 * doubt && tint > 0.004 * 0.004);
    for (const int i : frames) {
        const auto place = std::size_t(i);
        const double mean = (by_colour[0][place] + by_colour[1][place] + by_colour[2][place]) / 3;
        for (int c = 0; c < 3; ++c) levelled.gains[place][c] = std::exp(colour ? by_colour[c][place] : mean);
    }
    return levelled;
}

}  // namespace moorhaze
