// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mend/dust_trails.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

constexpr double kAroundSpot = 1.6;       // times a spot's reach: what it is compared with
constexpr std::size_t kLeastPlaces = 12;  // places of its shadow, and around it, that tell of it
constexpr double kSurelyLeft = 4;         // standard errors that what is left of a shadow stands out by

/// A spot as it lies in the planes.
struct LaidSpot {
    cv::Point2d at;
    double px = 1;  ///< frame pixels to one of the plane, about
};

/// The spots of all frames, by frame and spot.
std::vector<std::vector<LaidSpot>> laid_spots(const AlignedFrames& frames,
                                              const std::vector<DustSpot>& dust) {
    std::vector<std::vector<LaidSpot>> laid;
    for (int place = 0; place < frames.count(); ++place) {
        const cv::Matx33d matrix =
            plan_of(frames.geometry(), frames.index(place), frames.target()).frame_to_reference;
        const auto in_plane = [&](double x, double y) {
            const cv::Vec3d at = matrix * cv::Vec3d(x, y, 1);
            const cv::Point corner = frames.target().tl();
            return cv::Point2d((at[0] / at[2] - corner.x) / 2, (at[1] / at[2] - corner.y) / 2);
        };
        std::vector<LaidSpot> own;
        for (const DustSpot& spot : dust) {
            const cv::Point2d at = in_plane(spot.at.x, spot.at.y);
            const double across = cv::norm(in_plane(spot.at.x + 1, spot.at.y) - at);
            own.push_back({at, 1 / std::max(across, 1e-6)});
        }
        laid.push_back(std::move(own));
    }
    return laid;
}

}  // namespace

DustTrails::DustTrails(const AlignedFrames& frames, const cv::Mat1w& own, const Job& job)
    : clean_(own.size(), ushort(0)) {
    std::vector<DustSpot> dust = frames.geometry().dust;
    dust.insert(dust.end(), frames.geometry().dust_left.begin(), frames.geometry().dust_left.end());
    if (dust.empty()) return;
    const std::vector<std::vector<LaidSpot>> laid = laid_spots(frames, dust);
    const auto distance = [&](std::size_t place, std::size_t spot, cv::Point at) {
        return cv::norm(laid[place][spot].at - cv::Point2d(at)) * laid[place][spot].px;
    };
    const auto nearest_clean = [&](std::size_t place, cv::Point at) {
        for (std::size_t away = 1; away < laid.size(); ++away)
            for (const bool before : {false, true}) {
                if (before ? away > place : place + away >= laid.size()) continue;
                const std::size_t other = before ? place - away : place + away;
                bool is_clean = true;
                for (std::size_t spot = 0; is_clean && spot < dust.size(); ++spot)
                    is_clean = distance(other, spot, at) > dust[spot].reach_px();
                if (is_clean) return ushort(frames.index(int(other)) + 1);
            }
        return ushort(0);
    };
    for (std::size_t spot = 0; spot < dust.size(); ++spot) {
        job.checkpoint();
        const DustShade shade(dust[spot].radius_px, dust[spot].softness);
        cv::Mat1b trail(own.size(), uchar(0));
        cv::Mat1f taken(own.size(), 0.0f);
        for (std::size_t place = 0; place < laid.size(); ++place) {
            const double reach = kAroundSpot * dust[spot].reach_px() / laid[place][spot].px + 1;
            const cv::Point2d at = laid[place][spot].at;
            const cv::Rect box = cv::Rect(cv::Point(cvFloor(at.x - reach), cvFloor(at.y - reach)),
                                          cv::Point(cvCeil(at.x + reach) + 1, cvCeil(at.y + reach) + 1)) &
                                 cv::Rect({}, own.size());
            for (int y = box.y; y < box.br().y; ++y)
                for (int x = box.x; x < box.br().x; ++x) {
                    if (int(own(y, x)) != frames.index(int(place)) + 1) continue;
                    const double away = distance(place, spot, {x, y});
                    if (away > kAroundSpot * dust[spot].reach_px()) continue;
                    const ushort free_of_dust = nearest_clean(place, {x, y});
                    if (free_of_dust == 0) continue;
                    clean_(y, x) = free_of_dust;
                    trail(y, x) = 255;
                    taken(y, x) = float(1 - std::sqrt(1 - dust[spot].depth * double(shade(away))));
                }
        }
        cv::Mat1i labels;
        std::vector<Trail> own_trails(std::size_t(cv::connectedComponents(trail, labels, 8)));
        for (int y = 0; y < own.rows; ++y)
            for (int x = 0; x < own.cols; ++x)
                if (trail(y, x)) {
                    Trail& home = own_trails[std::size_t(labels(y, x))];
                    home.places.push_back({x, y});
                    home.shade.push_back(taken(y, x));
                }
        for (Trail& found : own_trails) {
            const auto shaded = std::size_t(
                std::count_if(found.shade.begin(), found.shade.end(), [](float share) { return share > 0; }));
            if (shaded >= kLeastPlaces && found.shade.size() >= shaded + kLeastPlaces)
                trails_.push_back(std::move(found));
        }
    }
}

cv::Mat1f DustTrails::darkened(const cv::Mat1f& merge, const cv::Mat1f& clean) const {
    cv::Mat1f all(merge.size(), 0.0f);
    for (const Trail& trail : trails_) {
        // A straight line through what is missing against what the spot takes; what is missing everywhere is
        // none of its doing.
        double count = 0, x_sum = 0, y_sum = 0, xx = 0, xy = 0, yy = 0;
        for (std::size_t k = 0; k < trail.places.size(); ++k) {
            const float without = clean(trail.places[k]);
            if (!std::isfinite(without)) continue;
            const double x = double(trail.shade[k]) * double(without),
                         y = double(without - merge(trail.places[k]));
            ++count, x_sum += x, y_sum += y, xx += x * x, xy += x * y, yy += y * y;
        }
        if (count < 2 * double(kLeastPlaces)) continue;
        const double x_spread = xx - x_sum * x_sum / count, both = xy - x_sum * y_sum / count,
                     y_spread = yy - y_sum * y_sum / count;
        if (!(x_spread > 1e-12)) continue;
        const double left = both / x_spread;
        // Differences of neighbours are not independent: a place counts as one of four.
        const double error =
            std::sqrt(std::max(0.0, y_spread - left * both) / std::max(1.0, count / 4 - 2) / x_spread);
        if (left < kSurelyLeft * error) continue;
        for (std::size_t k = 0; k < trail.places.size(); ++k) {
            const cv::Point at = trail.places[k];
            if (std::isfinite(clean(at)))
                all(at) = std::max(all(at), float(std::min(left, 1.0)) * trail.shade[k] * clean(at));
        }
    }
    return all;
}

}  // namespace moorhaze
