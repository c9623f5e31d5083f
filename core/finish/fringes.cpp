// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finish/fringes.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/align/register_pair.h"
#include "core/picture/cubic.h"
#include "core/picture/luma.h"
#include "core/work/errors.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

constexpr double kLeastShift_px = 0.03;
constexpr double kBand_px = 5;                          // half the width of the widest fringe
constexpr float kEdgeFrom = 0.015f, kEdgeFull = 0.06f;  // slope of luma per pixel
constexpr int kFewestSpots = 40;
constexpr double kAlike = 0.6;      // correlation of a spot in two colours
constexpr double kFarthest_px = 8;  // at the corners, at 24 megapixels; more is no lens
constexpr double kSpotNoise_px = 0.15;
constexpr int kRed = 0, kGreen = 1, kBlue = 2;

double corner_shift(const LateralFringe& own, double half_diagonal) {
    // The largest between the middle and the corner may lie before it.
    double most = std::abs(own.linear + own.square);
    if (own.square != 0)
        if (const double r2 = -own.linear / (3 * own.square); r2 > 0 && r2 < 1)
            most = std::max(most, std::sqrt(r2) * std::abs(own.linear + own.square * r2));
    return most * half_diagonal;
}

int band_radius(double scale) {
    return int(std::lround(kBand_px / scale));
}

cv::Mat1f root_of_channel(const cv::Mat3f& light, int channel, const Job& job) {
    cv::Mat1f root(light.size());
    for_rows(light.rows, job, [&](int y) {
        for (int x = 0; x < light.cols; ++x) root(y, x) = std::sqrt(std::max(0.0f, light(y, x)[channel]));
    });
    return root;
}

void move_channel(cv::Mat3f& light, int channel, const LateralFringe& fringe, const PartPlace& place,
                  const Job& job) {
    const cv::Mat1f root = root_of_channel(light, channel, job);
    const double per_px = 1 / (place.half_diagonal * place.half_diagonal);
    for_rows(light.rows, job, [&](int row) {
        const double v = place.corner.y + row - place.middle.y;
        for (int column = 0; column < light.cols; ++column) {
            const double u = place.corner.x + column - place.middle.x;
            const double out = fringe.linear + fringe.square * (u * u + v * v) * per_px;
            // By whole steps and a rest, so that a cut of the picture is resampled just as the whole.
            const double across_px = u * out, down_px = v * out;
            const int left = column + int(std::floor(across_px)), top = row + int(std::floor(down_px));
            float across[4], down[4];
            cubic_weights(float(across_px - std::floor(across_px)), across);
            cubic_weights(float(down_px - std::floor(down_px)), down);
            const float sum = cubic_between(root, left, top, across, down);
            light(row, column)[channel] = std::max(0.0f, sum) * std::max(0.0f, sum);
        }
    });
}

/// What of a plane is no wider than a band.
cv::Mat1f narrow_part(const cv::Mat1f& plane, int radius) {
    cv::Mat1f opened;
    const cv::Mat window = cv::getStructuringElement(cv::MORPH_RECT, {2 * radius + 1, 2 * radius + 1});
    cv::morphologyEx(plane, opened, cv::MORPH_OPEN, window, {-1, -1}, 1, cv::BORDER_REPLICATE);
    return plane - opened;
}

void dull_edges(cv::Mat3f& light, double share, int radius, double scale, const Job& job) {
    const cv::Mat1f luma = perceptual_luma(light, job);
    cv::Mat1f violet(light.size()), green(light.size()), slope(light.size(), 0.0f), steepest;
    for_rows(light.rows, job, [&](int y) {
        const int above = std::max(0, y - 1), below = std::min(light.rows - 1, y + 1);
        for (int x = 0; x < light.cols; ++x) {
            float root[3];
            for (int c = 0; c < 3; ++c) root[c] = std::sqrt(std::max(0.0f, light(y, x)[c]));
            violet(y, x) = std::max(0.0f, std::min(root[kRed], root[kBlue]) - root[kGreen]);
            green(y, x) = std::max(0.0f, root[kGreen] - std::max(root[kRed], root[kBlue]));
            const int before = std::max(0, x - 1), after = std::min(light.cols - 1, x + 1);
            const float across = luma(y, after) - luma(y, before), down = luma(below, x) - luma(above, x);
            // Per pixel of the picture, at whatever size it is seen.
            slope(y, x) = float(0.5 / scale) * std::sqrt(across * across + down * down);
        }
    });
    job.checkpoint();
    const cv::Mat window = cv::getStructuringElement(cv::MORPH_RECT, {2 * radius + 1, 2 * radius + 1});
    cv::dilate(slope, steepest, window, {-1, -1}, 1, cv::BORDER_REPLICATE);
    const cv::Mat1f thin_violet = narrow_part(violet, radius), thin_green = narrow_part(green, radius);
    job.checkpoint();
    for_rows(light.rows, job, [&](int y) {
        for (int x = 0; x < light.cols; ++x) {
            const float t = std::clamp((steepest(y, x) - kEdgeFrom) / (kEdgeFull - kEdgeFrom), 0.0f, 1.0f);
            const float weight = float(share) * t * t * (3 - 2 * t);
            if (weight <= 0) continue;
            const auto lower = [&](int c, float by) {
                const float root = std::max(0.0f, std::sqrt(std::max(0.0f, light(y, x)[c])) - by);
                light(y, x)[c] = root * root;
            };
            if (const float by = weight * thin_violet(y, x); by > 0) lower(kRed, by), lower(kBlue, by);
            if (const float by = weight * thin_green(y, x); by > 0) lower(kGreen, by);
        }
    });
}

/// A place with detail and how far another colour lies outwards of it, in half diagonals.
struct Outwards {
    double radius = 0, by = 0;
};

/// by = (linear + square r²) r, the places that differ most losing their weight.
LateralFringe fitted(const std::vector<Outwards>& places, double noise) {
    LateralFringe fit;
    for (int round = 0; round < 10; ++round) {
        double aa = 0, ab = 0, bb = 0, ya = 0, yb = 0;
        for (const Outwards& own : places) {
            const double a = own.radius, b = a * a * a;
            const double off = (own.by - fit.linear * a - fit.square * b) / noise;
            const double weight = round == 0 ? 1 : 1 / (1 + off * off);
            aa += weight * a * a, ab += weight * a * b, bb += weight * b * b;
            ya += weight * a * own.by, yb += weight * b * own.by;
        }
        const double determinant = aa * bb - ab * ab;
        if (!(determinant > 1e-9 * aa * bb)) return fit;
        fit = {(ya * bb - yb * ab) / determinant, (yb * aa - ya * ab) / determinant};
    }
    return fit;
}

}  // namespace

int fringe_border(const Fringes& fringes, double half_diagonal, double scale) {
    if (is_neutral(fringes)) return 0;
    int border = 0;
    const double shift =
        std::max(corner_shift(fringes.red, half_diagonal), corner_shift(fringes.blue, half_diagonal));
    if (shift > kLeastShift_px) border += int(std::ceil(shift)) + 2;
    if (fringes.at_edges > 0) border += 2 * band_radius(scale) + 1;
    return border;
}

void take_fringes_out(cv::Mat3f& light, const Fringes& fringes, const PartPlace& place, const Job& job) {
    if (is_neutral(fringes)) return;
    if (corner_shift(fringes.red, place.half_diagonal) > kLeastShift_px)
        move_channel(light, kRed, fringes.red, place, job);
    if (corner_shift(fringes.blue, place.half_diagonal) > kLeastShift_px)
        move_channel(light, kBlue, fringes.blue, place, job);
    if (const int radius = band_radius(place.scale); fringes.at_edges > 0 && radius > 0)
        dull_edges(light, fringes.at_edges, radius, place.scale, job);
}

Fringes with_lateral_found(Fringes fringes, const Picture& picture, const ToneCurve& curve, const Job& job) {
    const cv::Mat3f light = to_linear({picture.pixels, {}, picture.profile}, curve);
    job.checkpoint(0.2);
    const cv::Mat1f green = root_of_channel(light, kGreen, job.quiet());
    const RegistrationView view = registration_view(green, green.size(), job.part(0.2, 0.5));
    const RegistrationView::Level& level = view.levels.front();
    const cv::Point2d middle((green.cols - 1) / 2.0, (green.rows - 1) / 2.0);
    const double half_diagonal = std::hypot(green.cols, green.rows) / 2;
    for (const int channel : {kRed, kBlue}) {
        job.checkpoint(channel == kRed ? 0.5 : 0.75);
        const cv::Mat1f other = root_of_channel(light, channel, job.quiet());
        std::vector<std::optional<Outwards>> found(level.spots.size());
        for_rows(int(found.size()), job.quiet(), [&](int i) {
            const Spot& spot = level.spots[std::size_t(i)];
            const auto find =
                find_spot(spot, other, level.slope_noise, cv::Point2d(spot.at), cv::Matx22d::eye());
            if (!find || find->likeness < kAlike) return;
            const cv::Point2d from = cv::Point2d(spot.at) - middle, by = find->at - cv::Point2d(spot.at);
            const double radius = cv::norm(from);
            if (radius < 0.05 * half_diagonal || cv::norm(by) > kFarthest_px) return;
            found[std::size_t(i)] = Outwards{radius / half_diagonal, by.dot(from) / radius / half_diagonal};
        });
        std::vector<Outwards> places;
        for (const auto& own : found)
            if (own) places.push_back(*own);
        if (int(places.size()) < kFewestSpots)
            throw BadParameter(
                "too little of the picture has detail to tell how its colours lie; nothing was changed");
        (channel == kRed ? fringes.red : fringes.blue) = fitted(places, kSpotNoise_px / half_diagonal);
    }
    fringes.is_off = false;
    return fringes;
}

}  // namespace moorhaze
