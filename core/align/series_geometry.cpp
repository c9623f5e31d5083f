// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/align/series_geometry.h"

#include <algorithm>
#include <cmath>
#include <cstdio>

namespace moorhaze {
namespace {

/// Below these, what was measured is what measuring errs by: in the middle of the frames, and in the worst.
constexpr double kLiesMiddlePx = 0.12, kLiesWorstPx = 0.4;

const std::string kTooLittle =
    "too little detail in common with its neighbours to be aligned. Leave it out, set matching points, or "
    "check "
    "that it belongs to the series.";
const std::string kApart =
    "aligned with some neighbours, but none of them with the reference frame: a gap lies between. Set "
    "matching "
    "points across it, or choose a reference frame on this side.";

/// On a rail a chain of measurements says how things grow that stay in the middle between two sharp planes.
/// A frame's own sharp plane, at distance u, lies at u less the way in the reference frame: it grows by
/// 1/(1 - way/u), where the chain says exp(way/u). What drifts sideways with the way grows alike.
std::vector<HomographyParts> for_own_planes(std::vector<HomographyParts> parts) {
    auto chained = [](const HomographyParts& own) { return std::exp(own[kGrowth]) - 1; };
    for (const int side : {kRight, kDown}) {
        double products = 0, squares = 1e-12;
        for (const HomographyParts& own : parts)
            products += chained(own) * own[side], squares += chained(own) * chained(own);
        const double drift = products / squares;
        for (HomographyParts& own : parts)
            if (own[kGrowth] < 0.9) own[side] += drift * (1 / (1 - own[kGrowth]) - 1 - chained(own));
    }
    for (HomographyParts& own : parts)
        if (own[kGrowth] < 0.9) own[kGrowth] = -std::log(1 - own[kGrowth]);
    return parts;
}

/// Frames whose detail lies much farther from their neighbours' than usual.
void warn_of_outliers(SeriesGeometry& geometry) {
    std::vector<double> corners;
    for (const FrameGeometry& own : geometry.frames)
        if (own.registered && !own.interpolated) corners.push_back(own.corner_px);
    if (corners.size() < 4) return;
    std::nth_element(corners.begin(), corners.begin() + std::ptrdiff_t(corners.size() / 2), corners.end());
    const double usual = corners[corners.size() / 2];
    for (FrameGeometry& own : geometry.frames) {
        if (!own.registered || own.corner_px < std::max(1.0, 4 * usual)) continue;
        char text[200];
        std::snprintf(
            text, sizeof text,
            "its detail lies up to %.1f px from its neighbours', %.0f times as far as usual: moved, or "
            "blurred by a bump?",
            own.corner_px, own.corner_px / std::max(0.05, usual));
        own.warning = text;
    }
}

/// No frame lies off by more than measuring does.
bool lies_already(const SeriesGeometry& geometry, cv::Size frame) {
    std::vector<double> off;
    for (int i = 0; i < int(geometry.frames.size()); ++i)
        if (const FrameGeometry& own = geometry.frames[std::size_t(i)];
            own.registered && i != geometry.reference)
            off.push_back(greatest_distance(own.matrix, cv::Matx33d::eye(), frame));
    if (off.empty()) return false;
    std::sort(off.begin(), off.end());
    return off[off.size() / 2] < kLiesMiddlePx && off.back() < kLiesWorstPx;
}

}  // namespace

double FrameGeometry::scale() const {
    return std::hypot(matrix(0, 0), matrix(1, 0));
}
double FrameGeometry::rotation_deg() const {
    return std::atan2(matrix(1, 0), matrix(0, 0)) * 57.29577951308232;
}
cv::Point2d FrameGeometry::shift_px(cv::Size frame) const {
    const double x = (frame.width - 1) / 2.0, y = (frame.height - 1) / 2.0;
    return mapped(matrix, x, y) - cv::Point2d(x, y);
}

double SeriesGeometry::residual_px() const {
    double sum = 0;
    int count = 0;
    for (const auto& frame : frames)
        if (frame.registered) sum += frame.residual_px * frame.residual_px, ++count;
    return count ? std::sqrt(sum / count) : 0;
}

double SeriesGeometry::corner_px() const {
    double worst = 0;
    for (const auto& frame : frames)
        if (frame.registered) worst = std::max(worst, frame.corner_px);
    return worst;
}

Travel travel_from_metadata(const Series& series) {
    if (series.count() < 2) return Travel::refocused;
    const auto first = series.frames[0].info.shooting.focus_distance_m;
    for (const Frame& frame : series.frames) {
        const auto here = frame.info.shooting.focus_distance_m;
        if (!first || !here || std::abs(*here - *first) > 1e-4 * *first) return Travel::refocused;
    }
    return Travel::rail;
}

SeriesGeometry unmoved(const Series& series, int reference) {
    SeriesGeometry geometry;
    geometry.reference = reference;
    geometry.frames.resize(series.frames.size());
    geometry.as_it_lies = true;
    return geometry;
}

std::optional<double> growth_along(const SeriesGeometry& geometry) {
    // Frames at both ends may have nothing sharp.
    int first = 0, last = int(geometry.frames.size()) - 1;
    while (first < last && !geometry.frames[std::size_t(first)].registered) ++first;
    while (first < last && !geometry.frames[std::size_t(last)].registered) --last;
    if (first >= last || last - first < (int(geometry.frames.size()) - 1) / 2) return {};
    return std::log(geometry.frames[std::size_t(first)].scale() / geometry.frames[std::size_t(last)].scale());
}

SeriesGeometry place_frames(const Registration& registration, const PlaceSettings& settings) {
    const int count = registration.count(), reference = settings.reference;
    if (reference < 0 || reference >= count) throw BadParameter("the reference frame is not in the series");
    if (!registration.used[std::size_t(reference)])
        throw BadParameter("the reference frame was not measured");
    if (!registration.problems[std::size_t(reference)].empty())
        throw FileError(registration.problems[std::size_t(reference)] + " Choose another reference frame.");
    for (const MatchingPoints& points : settings.points)
        if (std::min(points.one, points.other) < 0 || std::max(points.one, points.other) >= count ||
            points.one == points.other)
            throw BadParameter("matching points need two frames of the series");

    const SolvedSeries solved = solve_series(count, registration.size, registration.pairs, settings.points,
                                             settings.model, registration.travel);
    SeriesGeometry geometry;
    geometry.reference = reference;
    geometry.model = solved.model;
    geometry.model_reason = solved.model_reason;
    geometry.frames.resize(std::size_t(count));
    const HomographyFrame frame(registration.size);
    const cv::Matx33d anchor_to_reference = solved.to_anchor[std::size_t(reference)].inv();
    std::vector<HomographyParts> parts;
    for (const cv::Matx33d& to_anchor : solved.to_anchor)
        parts.push_back(frame.parts(anchor_to_reference * to_anchor));
    if (registration.travel == Travel::rail) parts = for_own_planes(std::move(parts));

    const int group = solved.group[std::size_t(reference)];
    auto measured = [&](int i) {
        return i == reference || (group >= 0 && solved.group[std::size_t(i)] == group);
    };
    for (int i = 0; i < count; ++i) {
        FrameGeometry& own = geometry.frames[std::size_t(i)];
        const auto place = std::size_t(i);
        own.registered = measured(i);
        own.residual_px = solved.residual_px[place];
        own.corner_px = solved.corner_px[place];
        if (i != reference) own.matrix = frame.matrix(parts[place]);
        if (own.registered) continue;
        own.residual_px = own.corner_px = 0;
        if (!registration.used[place]) {
            own.problem = "left out";
            continue;
        }
        own.problem = registration.problems[place];
        if (!own.problem.empty()) continue;
        own.problem = solved.group[place] < 0 ? kTooLittle : kApart;
        if (!registration.names.empty()) own.problem = registration.names[place] + ": " + own.problem;
        bool before = false, after = false;
        for (int k = 0; k < count; ++k) (k < i ? before : after) |= measured(k);
        if (settings.unplaced == Unplaced::interpolate && solved.group[place] < 0 && before && after)
            own.registered = own.interpolated = true;
    }
    for (FrameGeometry& own : geometry.frames)
        if (!own.registered) own.matrix = cv::Matx33d::eye();

    warn_of_outliers(geometry);
    if (settings.points.empty() && lies_already(geometry, registration.size)) {
        for (FrameGeometry& own : geometry.frames) own.matrix = cv::Matx33d::eye();
        geometry.as_it_lies = true;
        geometry.model_reason = "the frames lie over each other already: nothing is resampled";
    }

    std::vector<cv::Mat3f> light = registration.light;
    std::vector<cv::Matx33d> matrices;
    for (int i = 0; i < count; ++i) {
        matrices.push_back(geometry.frames[std::size_t(i)].matrix);
        if (!geometry.frames[std::size_t(i)].registered) light[std::size_t(i)].release();
    }
    const LevelledLight levelled =
        level_light(light, matrices, registration.size, reference, settings.levelling);
    for (int i = 0; i < count; ++i)
        if (i != reference) geometry.frames[std::size_t(i)].gains = levelled.gains[std::size_t(i)];
    geometry.vignetting = levelled.vignetting;
    (settings.mend_dust ? geometry.dust : geometry.dust_left) = registration.dust;
    return geometry;
}

}  // namespace moorhaze
