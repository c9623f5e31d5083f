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

}  // namespace

void DustTrails::lay(const AlignedFrames& frames, const std::vector<DustSpot>& dust) {
    for (int place = 0; place < frames.count(); ++place) {
        const cv::Matx33d matrix =
            plan_of(frames.geometry(), frames.index(place), frames.target()).frame_to_reference;
        const auto in_plane = [&](double x, double y) {
            const cv::Vec3d at = matrix * cv::Vec3d(x, y, 1);
            const cv::Point corner = frames.target().tl();
            return cv::Point2d((at[0] / at[2] - corner.x) / 2, (at[1] / at[2] - corner.y) / 2);
        };
        DustyFrame own{frames.index(place) + 1, {}};
        for (const DustSpot& spot : dust) {
            const cv::Point2d at = in_plane(spot.at.x, spot.at.y);
            const double across = cv::norm(in_plane(spot.at.x + 1, spot.at.y) - at);
            own.spots.push_back({at, 1 / std::max(across, 1e-6), spot.reach_px()});
        }
        frames_.push_back(std::move(own));
    }
}

bool DustTrails::is_free(const DustyFrame& frame, cv::Point at) {
    return std::all_of(frame.spots.begin(), frame.spots.end(),
                       [&](const LaidSpot& spot) { return distance(spot, at) > spot.reach; });
}

int DustTrails::frame_without(cv::Rect part, int near) const {
    constexpr int kStep = 2;
    int best = near;
    std::pair<int, int> least{part.area() + 1, 0};  // places under dust, and how far away in frames
    for (const DustyFrame& frame : frames_) {
        int shaded = 0;
        for (int y = part.y; y < part.br().y; y += kStep)
            for (int x = part.x; x < part.br().x; x += kStep) shaded += !is_free(frame, {x, y});
        const std::pair own(shaded, std::abs(frame.number - near));
        if (own < least) least = own, best = frame.number;
    }
    return best;
}

DustTrails::DustTrails(const AlignedFrames& frames, const cv::Mat1w& own, const Job& job)
    : clean_(own.size(), ushort(0)) {
    std::vector<DustSpot> dust = frames.geometry().dust;
    dust.insert(dust.end(), frames.geometry().dust_left.begin(), frames.geometry().dust_left.end());
    if (dust.empty()) return;
    lay(frames, dust);
    const auto nearest_clean = [&](std::size_t place, cv::Point at) {
        for (std::size_t away = 1; away < frames_.size(); ++away)
            for (const bool before : {false, true}) {
                if (before ? away > place : place + away >= frames_.size()) continue;
                const DustyFrame& other = frames_[before ? place - away : place + away];
                if (is_free(other, at)) return ushort(other.number);
            }
        return ushort(0);
    };
    for (std::size_t spot = 0; spot < dust.size(); ++spot) {
        job.checkpoint();
        const DustShade shade(dust[spot].radius_px, dust[spot].softness);
        cv::Mat1b trail(own.size(), uchar(0));
        cv::Mat1f taken(own.size(), 0.0f);
        for (std::size_t place = 0; place < frames_.size(); ++place) {
            const LaidSpot& lies = frames_[place].spots[spot];
            const double reach = kAroundSpot * lies.reach / lies.px + 1;
            const cv::Point2d at = lies.at;
            const cv::Rect box = cv::Rect(cv::Point(cvFloor(at.x - reach), cvFloor(at.y - reach)),
                                          cv::Point(cvCeil(at.x + reach) + 1, cvCeil(at.y + reach) + 1)) &
                                 cv::Rect({}, own.size());
            for (int y = box.y; y < box.br().y; ++y)
                for (int x = box.x; x < box.br().x; ++x) {
                    if (int(own(y, x)) != frames_[place].number) continue;
                    const double away = distance(lies, {x, y});
                    if (away > kAroundSpot * lies.reach) continue;
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
