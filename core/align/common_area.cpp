// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/align/common_area.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace moorhaze {
namespace {

using Polygon = std::vector<cv::Point2d>;

double cross(cv::Point2d from, cv::Point2d to, cv::Point2d at) {
    return (to.x - from.x) * (at.y - from.y) - (to.y - from.y) * (at.x - from.x);
}

/// What of a convex polygon lies to the right of the way from-to (inside, for outlines that run clockwise on
/// the screen). Source: Sutherland & Hodgman, "Reentrant Polygon Clipping", CACM 17(1), 1974.
Polygon clipped(const Polygon& polygon, cv::Point2d from, cv::Point2d to) {
    Polygon inside;
    for (std::size_t i = 0; i < polygon.size(); ++i) {
        const cv::Point2d a = polygon[i], b = polygon[(i + 1) % polygon.size()];
        const double at_a = cross(from, to, a), at_b = cross(from, to, b);
        if (at_a >= 0) inside.push_back(a);
        if ((at_a < 0) != (at_b < 0)) inside.push_back(a + (b - a) * (at_a / (at_a - at_b)));
    }
    return inside;
}

struct Span {
    double begin, end;
};

/// The polygon's extent along the row y; empty (begin > end) outside.
Span row_of(const Polygon& polygon, double y) {
    Span span{std::numeric_limits<double>::infinity(), -std::numeric_limits<double>::infinity()};
    auto include = [&](double x) { span.begin = std::min(span.begin, x), span.end = std::max(span.end, x); };
    for (std::size_t i = 0; i < polygon.size(); ++i) {
        const cv::Point2d a = polygon[i], b = polygon[(i + 1) % polygon.size()];
        if (a.y == y) include(a.x);
        if ((a.y < y) != (b.y < y)) include(a.x + (b.x - a.x) * ((y - a.y) / (b.y - a.y)));
    }
    return span;
}

double highest(double low, double high, const auto& value) {
    for (int i = 0; i < 60 && high - low > 1e-7; ++i) {
        const double third = (high - low) / 3;
        if (value(low + third) < value(high - third))
            low += third;
        else
            high -= third;
    }
    return (low + high) / 2;
}

/// The largest upright rectangle in a convex polygon. The logarithm of its area is concave in its four sides
/// and the polygon convex, so that the best bottom for a top, and the best top, are single peaks.
cv::Rect2d largest_upright(const Polygon& polygon) {
    double top = polygon[0].y, bottom = top;
    for (const cv::Point2d& at : polygon) top = std::min(top, at.y), bottom = std::max(bottom, at.y);
    auto across = [&](double y0, double y1) {
        const Span above = row_of(polygon, y0), below = row_of(polygon, y1);
        return Span{std::max(above.begin, below.begin), std::min(above.end, below.end)};
    };
    // Beyond the peak the rectangle may turn inside out; its size then falls on below zero.
    auto size = [&](double y0, double y1) {
        const Span span = across(y0, y1);
        const double width = span.end - span.begin;
        return width > 0 ? width * (y1 - y0) : std::max(width, -1e9);
    };
    auto best_bottom = [&](double y0) {
        return highest(y0, bottom, [&](double y1) { return size(y0, y1); });
    };
    double y0 = highest(top, bottom, [&](double y) { return size(y, best_bottom(y)); });
    double y1 = best_bottom(y0);
    // Outlines that lie straight are the usual case: there the search ends somewhat inside them, and an edge
    // whose ends differ by rounding alone is no edge to stop at.
    if (y0 - top < 1e-4) y0 = top + 1e-6;
    if (bottom - y1 < 1e-4) y1 = bottom - 1e-6;
    const Span span = across(y0, y1);
    return {span.begin, y0, span.end - span.begin, y1 - y0};
}

bool counts(const SeriesGeometry& geometry, int frame) {
    return geometry.frames[std::size_t(frame)].registered;
}

}  // namespace

KeptArea kept_area_named(const std::string& name) {
    if (name == "common") return KeptArea::common;
    if (name == "reference") return KeptArea::reference;
    if (name == "everything") return KeptArea::everything;
    throw BadParameter("there is no area '" + name + "'. There are: common, reference, everything.");
}

std::vector<cv::Point2d> frame_outline(const FrameGeometry& frame, cv::Size size) {
    Polygon outline;
    const double right = size.width - 1, bottom = size.height - 1;
    for (const auto& [x, y] : {std::pair{0.0, 0.0}, {right, 0.0}, {right, bottom}, {0.0, bottom}}) {
        const cv::Vec3d place = frame.matrix * cv::Vec3d(x, y, 1);
        outline.emplace_back(place[0] / place[2], place[1] / place[2]);
    }
    return outline;
}

PixelRect common_area(const SeriesGeometry& geometry, const std::vector<int>& frames, cv::Size frame_size) {
    Polygon shared;
    for (const int i : frames) {
        if (!counts(geometry, i)) continue;
        const Polygon outline = frame_outline(geometry.frames[std::size_t(i)], frame_size);
        if (shared.empty()) {
            shared = outline;
            continue;
        }
        for (std::size_t k = 0; k < 4 && !shared.empty(); ++k)
            shared = clipped(shared, outline[k], outline[(k + 1) % 4]);
        if (shared.empty()) return {};
    }
    if (shared.empty()) return {};
    const cv::Rect2d best = largest_upright(shared);
    // Rounding of whole-pixel edges must not cost a row.
    const int x = int(std::ceil(best.x - 1e-3)), y = int(std::ceil(best.y - 1e-3));
    const int width = int(std::floor(best.x + best.width + 1e-3)) - x + 1,
              height = int(std::floor(best.y + best.height + 1e-3)) - y + 1;
    return width > 0 && height > 0 ? PixelRect(x, y, width, height) : PixelRect();
}

PixelRect kept_area(const SeriesGeometry& geometry, const std::vector<int>& frames, cv::Size size,
                    KeptArea kept) {
    const PixelRect whole({}, size);
    if (std::none_of(frames.begin(), frames.end(), [&](int i) { return counts(geometry, i); })) return {};
    if (kept == KeptArea::reference) return whole;
    if (kept == KeptArea::common) return common_area(geometry, frames, size) & whole;
    double left = 1e9, top = 1e9, right = -1e9, bottom = -1e9;
    for (const int i : frames) {
        if (!counts(geometry, i)) continue;
        for (const cv::Point2d& at : frame_outline(geometry.frames[std::size_t(i)], size)) {
            left = std::min(left, at.x), right = std::max(right, at.x);
            top = std::min(top, at.y), bottom = std::max(bottom, at.y);
        }
    }
    const int x = int(std::floor(left + 1e-3)), y = int(std::floor(top + 1e-3));
    return {x, y, int(std::ceil(right - 1e-3)) - x + 1, int(std::ceil(bottom - 1e-3)) - y + 1};
}

}  // namespace moorhaze
