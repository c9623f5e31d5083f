// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/picture/dust_spot.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace moorhaze {
namespace {

constexpr int kTableSteps = 64;

/// The share of the smaller disc that lies in the other.
double overlap(double distance, double one, double other) {
    const double narrow = std::min(one, other), wide = std::max(one, other);
    if (distance <= wide - narrow) return 1;
    if (distance >= one + other) return 0;
    const double d2 = distance * distance, a2 = one * one, b2 = other * other;
    const auto angle = [](double cosine) { return std::acos(std::clamp(cosine, -1.0, 1.0)); };
    const double kite = (-distance + one + other) * (distance + one - other) * (distance - one + other) *
                        (distance + one + other);
    const double area = a2 * angle((d2 + a2 - b2) / (2 * distance * one)) +
                        b2 * angle((d2 + b2 - a2) / (2 * distance * other)) -
                        0.5 * std::sqrt(std::max(0.0, kite));
    return area / (std::numbers::pi * narrow * narrow);
}

cv::Point2d mapped(const cv::Matx33d& matrix, double x, double y) {
    const cv::Vec3d at = matrix * cv::Vec3d(x, y, 1);
    return {at[0] / at[2], at[1] / at[2]};
}

/// The part of the block in which a spot lies, as far as a plane of the frame is laid without much bending.
cv::Rect touched(const DustSpot& spot, const cv::Matx33d& to_frame, const cv::Matx33d& to_grid,
                 cv::Rect block) {
    const cv::Point2d middle = mapped(to_grid, spot.at.x, spot.at.y),
                      beside = mapped(to_frame, middle.x + 1, middle.y),
                      below = mapped(to_frame, middle.x, middle.y + 1);
    const double px = std::min(cv::norm(beside - spot.at), cv::norm(below - spot.at));
    const double reach = 1.05 * spot.reach_px() / std::max(px, 1e-6) + 1;
    const cv::Point first(int(std::floor(middle.x - reach)), int(std::floor(middle.y - reach))),
        last(int(std::ceil(middle.x + reach)), int(std::ceil(middle.y + reach)));
    return cv::Rect(first, last + cv::Point(1, 1)) & block;
}

}  // namespace

DustShade::DustShade(double radius_px, double softness)
    : reach_px_(radius_px * (1 + softness)), steps_per_px_(kTableSteps / reach_px_) {
    for (int i = 0; i <= kTableSteps + 1; ++i)
        shares_.push_back(float(overlap(i / steps_per_px_, radius_px, radius_px * softness)));
}

void mend_dust(const std::vector<DustSpot>& dust, const cv::Matx33d& to_frame, cv::Rect block, double power,
               cv::Mat& out) {
    if (dust.empty()) return;
    const cv::Matx33d to_grid = to_frame.inv();
    for (const DustSpot& spot : dust) {
        const cv::Rect part = touched(spot, to_frame, to_grid, block);
        if (part.empty()) continue;
        const DustShade shade(spot.radius_px, spot.softness);
        for (int y = part.y; y < part.br().y; ++y) {
            auto* const row = out.ptr<float>(y - block.y);
            for (int x = part.x; x < part.br().x; ++x) {
                const double missing = spot.depth * double(shade(cv::norm(mapped(to_frame, x, y) - spot.at)));
                if (missing <= 0) continue;
                const auto factor = float(std::pow(1 - missing, -power));
                for (int c = 0; c < out.channels(); ++c) row[(x - block.x) * out.channels() + c] *= factor;
            }
        }
    }
}

}  // namespace moorhaze
