// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/align/homography.h"

#include <algorithm>
#include <cmath>

namespace moorhaze {

HomographyFrame::HomographyFrame(cv::Size frame)
    : centre_x((frame.width - 1) / 2.0),
      centre_y((frame.height - 1) / 2.0),
      half_diagonal(std::max(1.0, std::hypot(frame.width - 1, frame.height - 1) / 2)) {}

cv::Matx33d HomographyFrame::matrix(const HomographyParts& parts) const {
    const double scale = std::exp(parts[kGrowth]), even = scale * std::cos(parts[kTurn]),
                 odd = scale * std::sin(parts[kTurn]);
    const cv::Matx33d own(even + parts[kAspect], -odd + parts[kSkew], parts[kRight], odd + parts[kSkew],
                          even - parts[kAspect], parts[kDown], parts[kKeystoneX], parts[kKeystoneY], 1);
    const double r = half_diagonal;
    const cv::Matx33d from_own(r, 0, centre_x, 0, r, centre_y, 0, 0, 1);
    const cv::Matx33d to_own(1 / r, 0, -centre_x / r, 0, 1 / r, -centre_y / r, 0, 0, 1);
    const cv::Matx33d whole = from_own * own * to_own;
    return whole * (1 / whole(2, 2));
}

HomographyParts HomographyFrame::parts(const cv::Matx33d& matrix) const {
    const double r = half_diagonal;
    const cv::Matx33d from_own(r, 0, centre_x, 0, r, centre_y, 0, 0, 1);
    const cv::Matx33d to_own(1 / r, 0, -centre_x / r, 0, 1 / r, -centre_y / r, 0, 0, 1);
    cv::Matx33d own = to_own * matrix * from_own;
    own *= 1 / own(2, 2);
    const double even = (own(0, 0) + own(1, 1)) / 2, odd = (own(1, 0) - own(0, 1)) / 2;
    HomographyParts parts;
    parts[kRight] = own(0, 2);
    parts[kDown] = own(1, 2);
    parts[kGrowth] = std::log(std::hypot(even, odd));
    parts[kTurn] = std::atan2(odd, even);
    parts[kAspect] = (own(0, 0) - own(1, 1)) / 2;
    parts[kSkew] = (own(0, 1) + own(1, 0)) / 2;
    parts[kKeystoneX] = own(2, 0);
    parts[kKeystoneY] = own(2, 1);
    return parts;
}

std::array<cv::Vec2d, kHomographyParts> HomographyFrame::moves(double x, double y) {
    return {cv::Vec2d(1, 0),  cv::Vec2d(0, 1), cv::Vec2d(x, y),           cv::Vec2d(-y, x),
            cv::Vec2d(x, -y), cv::Vec2d(y, x), cv::Vec2d(-x * x, -x * y), cv::Vec2d(-x * y, -y * y)};
}

double greatest_distance(const cv::Matx33d& one, const cv::Matx33d& other, cv::Size frame) {
    double worst = 0;
    for (int row = 0; row < 9; ++row)
        for (int column = 0; column < 9; ++column) {
            const double x = (frame.width - 1) * column / 8.0, y = (frame.height - 1) * row / 8.0;
            const cv::Point2d apart = mapped(one, x, y) - mapped(other, x, y);
            worst = std::max(worst, std::hypot(apart.x, apart.y));
        }
    return worst;
}

}  // namespace moorhaze
