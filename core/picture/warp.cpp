// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/picture/warp.h"

#include <algorithm>
#include <cmath>

#include "core/picture/warp_block.h"
#include "core/picture/warped_frame.h"
#include "core/work/for_rows.h"

namespace moorhaze {

std::vector<RowSpan> covered_spans(cv::Size frame, const WarpPlan& plan) {
    const cv::Matx33d to_source = plan.frame_to_reference.inv();
    auto inside = [&](int column, int row) {
        const cv::Vec3d place = to_source * cv::Vec3d(plan.target.x + column, plan.target.y + row, 1);
        const double x = place[0] / place[2], y = place[1] / place[2];
        return x >= -0.5 && y >= -0.5 && x <= frame.width - 0.5 && y <= frame.height - 0.5;
    };
    // The frame's outline is convex: a row crosses it in one span, whose ends are exact where the four edge
    // conditions, each linear in the column, hold.
    std::vector<RowSpan> spans(std::size_t(plan.target.height));
    for (int row = 0; row < plan.target.height; ++row) {
        const cv::Vec3d start = to_source * cv::Vec3d(plan.target.x, plan.target.y + row, 1);
        const cv::Vec3d step = to_source * cv::Vec3d(1, 0, 0);
        double low = 0, high = plan.target.width - 1;
        auto demand = [&](double constant, double slope) {  // constant + slope * column >= 0
            if (slope > 1e-15)
                low = std::max(low, -constant / slope);
            else if (slope < -1e-15)
                high = std::min(high, constant / -slope);
            else if (constant < 0)
                high = -1;
        };
        demand(start[0] + 0.5 * start[2], step[0] + 0.5 * step[2]);
        demand(start[1] + 0.5 * start[2], step[1] + 0.5 * step[2]);
        demand((frame.width - 0.5) * start[2] - start[0], (frame.width - 0.5) * step[2] - step[0]);
        demand((frame.height - 0.5) * start[2] - start[1], (frame.height - 0.5) * step[2] - step[1]);
        if (high < low) continue;
        RowSpan span{int(std::ceil(low)), int(std::floor(high)) + 1};
        while (span.begin < span.end && !inside(span.begin, row)) ++span.begin;
        while (span.begin < span.end && !inside(span.end - 1, row)) --span.end;
        if (span.begin < span.end) spans[std::size_t(row)] = span;
    }
    return spans;
}

cv::Matx33d to_frame_of(const WarpPlan& plan) {
    if (plan.target.empty()) throw BadParameter("the area to fill is empty");
    if (std::min({plan.gains[0], plan.gains[1], plan.gains[2]}) <= 0)
        throw BadParameter("a gain must be above 0");
    bool possible = false;
    const cv::Matx33d to_source = plan.frame_to_reference.inv(cv::DECOMP_LU, &possible);
    if (!possible) throw BadParameter("the frame's matrix cannot be turned round");
    return to_source;
}

cv::Rect needed_of(cv::Size frame, const WarpPlan& plan) {
    const cv::Rect target(plan.target.x, plan.target.y, plan.target.width, plan.target.height);
    return reach_of(to_frame_of(plan), target, frame) & cv::Rect({}, frame);
}

LinearFrame warp_to_linear(const Picture& frame, const ToneCurve& curve, const WarpPlan& plan,
                           const Job& job) {
    return WarpedFrame(frame, curve, plan).all(job);
}

}  // namespace moorhaze
