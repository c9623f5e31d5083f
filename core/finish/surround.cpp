// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finish/surround.h"

#include <algorithm>
#include <cmath>

#include "core/align/homography.h"
#include "core/picture/block_means.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

constexpr int kLongSide = 512;
constexpr double kSoft_px = 12;    // from the border on which its own pixels pass into averages
constexpr double kSpreads = 0.75;  // of the distance, that is averaged over

cv::Mat3f halved(const cv::Mat3f& fine) {
    cv::Mat3f half((fine.rows + 1) / 2, (fine.cols + 1) / 2);
    for (int y = 0; y < half.rows; ++y)
        for (int x = 0; x < half.cols; ++x) {
            const int right = std::min(2 * x + 1, fine.cols - 1), below = std::min(2 * y + 1, fine.rows - 1);
            half(y, x) =
                (fine(2 * y, 2 * x) + fine(2 * y, right) + fine(below, 2 * x) + fine(below, right)) * 0.25f;
        }
    return half;
}

cv::Vec3f between(const cv::Mat3f& plane, double x, double y) {
    const double u = std::clamp(x, 0.0, plane.cols - 1.0), v = std::clamp(y, 0.0, plane.rows - 1.0);
    const int left = std::min(int(u), std::max(0, plane.cols - 2)),
              top = std::min(int(v), std::max(0, plane.rows - 2));
    const int right = std::min(left + 1, plane.cols - 1), below = std::min(top + 1, plane.rows - 1);
    const auto a = float(u - left), b = float(v - top);
    return (plane(top, left) * (1 - a) + plane(top, right) * a) * (1 - b) +
           (plane(below, left) * (1 - a) + plane(below, right) * a) * b;
}

}  // namespace

Surround::Surround(const Picture& picture, const ToneCurve& curve, const Job& job)
    : size_(picture.pixels.size()) {
    const int block = std::max(1, std::max(size_.width, size_.height) / kLongSide);
    shrink_ = block;
    levels_.push_back(block_means(picture, curve, block, job));
    while (std::min(levels_.back().rows, levels_.back().cols) > 4) levels_.push_back(halved(levels_.back()));
}

cv::Vec3f Surround::at(double x, double y, double spread_px) const {
    const double level =
        std::clamp(std::log2(std::max(1.0, spread_px / shrink_)), 0.0, double(levels_.size() - 1));
    const auto fine = std::size_t(level), coarse = std::min(fine + 1, levels_.size() - 1);
    const auto share = float(level - double(fine));
    const auto own = [&](std::size_t k) {
        const double scale = shrink_ * double(1 << k);
        return between(levels_[k], (x + 0.5) / scale - 0.5, (y + 0.5) / scale - 0.5);
    };
    return own(fine) * (1 - share) + own(coarse) * share;
}

void Surround::continue_border(cv::Mat3f& light, PixelRect part, const cv::Matx33d& to_picture) const {
    if (levels_.empty()) return;
    for_rows(light.rows, Job{}, [&](int row) {
        for (int column = 0; column < light.cols; ++column) {
            const cv::Point2d place = mapped(to_picture, part.x + column, part.y + row);
            const double x = std::clamp(place.x, 0.0, size_.width - 1.0),
                         y = std::clamp(place.y, 0.0, size_.height - 1.0);
            const double away = std::hypot(place.x - x, place.y - y);
            if (away <= 0) continue;
            const double t = std::min(1.0, away / kSoft_px);
            const auto share = float(t * t * (3 - 2 * t));
            light(row, column) += share * (at(x, y, kSpreads * away) - light(row, column));
        }
    });
}

}  // namespace moorhaze
