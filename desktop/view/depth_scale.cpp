// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/view/depth_scale.h"

#include <algorithm>
#include <cmath>

namespace moorhaze::desktop {
namespace {

constexpr double kLeastStep = 0.4,
                 kMostStep = 3.5;    ///< shown; of frames that stand in one place, or far apart
constexpr double kComfortable = 13;  ///< spacing at which ticks need no opening up
constexpr double kOpenReach = 110;   ///< px around the pointer that open up

}  // namespace

void DepthScale::set_steps(const std::vector<double>& steps) {
    places_.clear();
    for (const double step : steps)
        places_.push_back(places_.empty() ? 0 : places_.back() + std::clamp(step, kLeastStep, kMostStep));
}

void DepthScale::set_ends(double top, double bottom) {
    top_ = top;
    bottom_ = bottom;
}

bool DepthScale::is_crowded() const {
    return spacing() < kComfortable;
}

double DepthScale::spacing() const {
    return (bottom_ - top_) / (places_.empty() ? 1 : places_.back() + 1);
}

double DepthScale::plain_y(double frame) const {
    if (places_.empty()) return bottom_;
    // Beyond the ends usual steps go on.
    const int last = count() - 1, below = std::clamp(int(std::floor(frame)), 0, std::max(0, last - 1));
    const double from = places_[std::size_t(below)], to = places_[std::size_t(std::min(last, below + 1))];
    const double place = frame < 0      ? frame
                         : frame > last ? places_.back() + frame - last
                                        : from + (to - from) * (frame - below);
    return bottom_ - (place + 0.5) * spacing();
}

double DepthScale::frame_of_plain(double y) const {
    int nearest = 0;
    while (nearest + 1 < count() && plain_y(nearest + 0.5) > y) ++nearest;
    const double above = plain_y(nearest + 0.5), below = plain_y(nearest - 0.5);
    return nearest - 0.5 + std::clamp((below - y) / std::max(1e-9, below - above), 0.0, 1.0);
}

double DepthScale::y_of(double frame) const {
    const double plain = plain_y(frame);
    if (!opened_at_ || !is_crowded()) return plain;
    // Pushes places apart around the pointer; the ends of the reach stay where they are, so the order is
    // kept.
    const double off = (plain - *opened_at_) / kOpenReach;
    if (std::abs(off) >= 1) return plain;
    const double strength = std::min(3.0, kComfortable / spacing() - 1);
    const double opened = std::copysign((strength + 1) * std::abs(off) / (strength * std::abs(off) + 1), off);
    return *opened_at_ + opened * kOpenReach;
}

int DepthScale::frame_at(double y) const {
    int best = 0;
    for (int i = 1; i < count(); ++i)
        if (std::abs(y_of(i) - y) < std::abs(y_of(best) - y)) best = i;
    return best;
}

}  // namespace moorhaze::desktop
