// SPDX-License-Identifier: GPL-3.0-or-later
#include "rig/dust.h"

#include <algorithm>
#include <cmath>

#include "rig/noise.h"

namespace moorhaze::rig {
namespace {

constexpr double kFullTurn = 6.283185307179586;
constexpr double kNarrowest_px = 4, kWidest_px = 15, kFaintest = 0.03, kDeepest = 0.25;
constexpr double kApart = 2.5;    // radii that two specks stand apart, at least
constexpr int kRings = 12;        // of the pupil, each with six places more than the one within
constexpr double kUneven = 0.10;  // of the outline's radius, each of the first two harmonics

/// Shares of the pupil's light that a speck takes away; the pupil as rays through rings of places.
class Shadow {
  public:
    explicit Shadow(const DustSpeck& speck) : speck_(speck), pupil_px_(speck.radius_px * speck.softness) {
        for (int k = 0; k < 2; ++k) {
            swing_[k] = kUneven * (2 * double(random_unit(speck.seed, std::uint32_t(2 * k))) - 1);
            phase_[k] = kFullTurn * double(random_unit(speck.seed, std::uint32_t(2 * k + 1)));
        }
        full_ = share(0, 0);
    }
    double reach_px() const { return speck_.radius_px * (1 + 2 * kUneven) + pupil_px_; }
    /// Of the light that is left at a place against the middle of the shadow.
    double transmission(double dx, double dy) const { return 1 - speck_.depth * share(dx, dy) / full_; }

  private:
    bool holds(double dx, double dy) const {
        const double way = std::atan2(dy, dx);
        const double outline =
            1 + swing_[0] * std::cos(2 * way + phase_[0]) + swing_[1] * std::cos(3 * way + phase_[1]);
        return std::hypot(dx, dy) < speck_.radius_px * outline;
    }
    double share(double dx, double dy) const {
        int inside = 0, all = 0;
        for (int ring = 0; ring < kRings; ++ring) {
            const double radius = pupil_px_ * (ring + 0.5) / kRings;
            const int places = 6 * ring + 3;
            for (int k = 0; k < places; ++k, ++all)
                inside += holds(dx + radius * std::cos(kFullTurn * k / places),
                                dy + radius * std::sin(kFullTurn * k / places));
        }
        return double(inside) / all;
    }

    DustSpeck speck_;
    double pupil_px_, full_ = 1;
    double swing_[2], phase_[2];
};

}  // namespace

std::vector<DustSpeck> settled_dust(int count, cv::Size frame, std::uint32_t seed) {
    std::vector<DustSpeck> dust;
    // Where a frame is too small for so many, it gets as many as find a place.
    for (std::uint32_t k = 0; int(dust.size()) < count && k < std::uint32_t(200 * count); ++k) {
        const auto own = hash(seed * 7919u + k);
        DustSpeck speck;
        speck.radius_px = std::lerp(kNarrowest_px, kWidest_px, double(random_unit(own, 1)));
        speck.depth = kFaintest * std::pow(kDeepest / kFaintest, double(random_unit(own, 2)));
        speck.softness = std::lerp(0.3, 0.9, double(random_unit(own, 3)));
        const double edge = 1.5 * speck.radius_px;
        if (2 * edge >= std::min(frame.width, frame.height)) continue;
        speck.x_px = std::lerp(edge, frame.width - edge, double(random_unit(own, 4)));
        speck.y_px = std::lerp(edge, frame.height - edge, double(random_unit(own, 5)));
        speck.seed = own;
        if (std::all_of(dust.begin(), dust.end(), [&](const DustSpeck& other) {
                return std::hypot(speck.x_px - other.x_px, speck.y_px - other.y_px) >
                       kApart * (speck.radius_px + other.radius_px);
            }))
            dust.push_back(speck);
    }
    return dust;
}

void shade_by(const std::vector<DustSpeck>& dust, cv::Mat3f& linear) {
    for (const DustSpeck& speck : dust) {
        const Shadow shadow(speck);
        const int left = std::max(0, int(std::floor(speck.x_px - shadow.reach_px()))),
                  right = std::min(linear.cols - 1, int(std::ceil(speck.x_px + shadow.reach_px()))),
                  top = std::max(0, int(std::floor(speck.y_px - shadow.reach_px()))),
                  bottom = std::min(linear.rows - 1, int(std::ceil(speck.y_px + shadow.reach_px())));
        for (int y = top; y <= bottom; ++y)
            for (int x = left; x <= right; ++x)
                linear(y, x) *= float(shadow.transmission(x - speck.x_px, y - speck.y_px));
    }
}

}  // namespace moorhaze::rig
