#include "core/align/common_area.h"

#include <algorithm>
#include <cmath>

namespace moorhaze {

PixelRect common_area(const SeriesGeometry& geometry, const std::vector<int>& frames, cv::Size frame_size) {
    double left = -1e9, top = -1e9, right = 1e9, bottom = 1e9;
    for (const int i : frames) {
        const FrameGeometry& frame = geometry.frames[std::size_t(i)];
        if (!frame.registered) continue;
        auto corner = [&](double x, double y) {
            const cv::Vec3d place = frame.matrix * cv::Vec3d(x, y, 1);
            return cv::Point2d(place[0] / place[2], place[1] / place[2]);
        };
        const cv::Point2d a = corner(0, 0), b = corner(frame_size.width - 1, 0),
                          c = corner(frame_size.width - 1, frame_size.height - 1),
                          d = corner(0, frame_size.height - 1);
        left = std::max({left, a.x, d.x});
        top = std::max({top, a.y, b.y});
        right = std::min({right, b.x, c.x});
        bottom = std::min({bottom, c.y, d.y});
    }
    // Rounding of whole-pixel edges must not cost a row.
    const int x = int(std::ceil(left - 1e-6)), y = int(std::ceil(top - 1e-6));
    const int width = int(std::floor(right + 1e-6)) - x + 1, height = int(std::floor(bottom + 1e-6)) - y + 1;
    return width > 0 && height > 0 ? PixelRect(x, y, width, height) : PixelRect();
}

}  // namespace moorhaze
