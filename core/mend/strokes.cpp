// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mend/strokes.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/mend/eased.h"
#include "core/mend/grown.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

/// Larger than every picture, small enough to be added to.
constexpr int kEverywhere = 1 << 24;
constexpr int kSpeck = 6;   // px; untrusted places of less than twice that across are no backdrop
constexpr int kBits = 4;    // of a pixel's fraction that outlines are drawn with
constexpr int kTile = 512;  // px; outlines are drawn in tiles of that

void check(const Stroke& stroke) {
    if (stroke.radius_px < 0.5) throw BadParameter("a brush is at least 1 px wide");
    if (stroke.softness < 0 || stroke.softness > 1) throw BadParameter("softness lies between 0 and 1");
    if (stroke.flow < 0 || stroke.flow > 1) throw BadParameter("flow lies between 0 and 1");
}

/// Where a piece of the path comes nearest to a place.
struct Nearest {
    double distance_px, pressure;
};
Nearest nearest_on(const StrokePoint& a, const StrokePoint& b, double x, double y) {
    const double dx = b.x_px - a.x_px, dy = b.y_px - a.y_px;
    const double square = dx * dx + dy * dy;
    const double along =
        square > 0 ? std::clamp(((x - a.x_px) * dx + (y - a.y_px) * dy) / square, 0.0, 1.0) : 0.0;
    return {std::hypot(x - a.x_px - along * dx, y - a.y_px - along * dy),
            std::lerp(a.pressure, b.pressure, along)};
}

/// How much of the brush reaches a place so far from its middle.
double brush_share(double distance_px, double radius_px, double softness) {
    // The hard core, then a smooth fall to the rim; at least a pixel wide, so that edges are not jagged.
    const double outer = radius_px + 0.5, inner = std::min(outer - 1.0, radius_px * (1 - softness));
    if (distance_px >= outer) return 0;
    if (distance_px <= inner) return 1;
    return eased((outer - distance_px) / (outer - inner));
}

/// The part of a mask that is asked for, its rim blurred.
/// @param hard_area  that `hard` covers: three sigma more than `area` all around, where there is so much.
cv::Mat1f softened(const cv::Mat1b& hard, PixelRect hard_area, PixelRect area, double sigma) {
    cv::Mat1f mask;
    hard.convertTo(mask, CV_32F, 1 / 255.0);
    const int reach = int(std::ceil(3 * sigma));
    if (reach > 0)
        cv::GaussianBlur(mask, mask, {2 * reach + 1, 2 * reach + 1}, sigma, sigma, cv::BORDER_REPLICATE);
    return mask(area - hard_area.tl()).clone();
}

/// How soft a rim without a path is: the standard deviation of a blur, px.
double rim_sigma(const Stroke& stroke) {
    return 0.5 * stroke.softness * stroke.radius_px;
}

cv::Mat1f mask_of(const AlongPath&, const Stroke& stroke, PixelRect area, const MergePlanes&,
                  const Job& job) {
    cv::Mat1f mask(area.size(), 0.0f);
    if (stroke.points.empty()) return mask;
    const double outer = stroke.radius_px + 0.5;
    for_rows(area.height, job, [&](int row) {
        const double y = area.y + row;
        for (std::size_t i = 0; i < stroke.points.size(); ++i) {
            const StrokePoint& a = stroke.points[i > 0 ? i - 1 : 0];
            const StrokePoint& b = stroke.points[i];
            if (y < std::min(a.y_px, b.y_px) - outer || y > std::max(a.y_px, b.y_px) + outer) continue;
            const int begin = std::max(0, int(std::floor(std::min(a.x_px, b.x_px) - outer)) - area.x);
            const int end =
                std::min(area.width, int(std::ceil(std::max(a.x_px, b.x_px) + outer)) + 1 - area.x);
            for (int column = begin; column < end; ++column) {
                const Nearest near = nearest_on(a, b, area.x + column, y);
                const double part =
                    brush_share(near.distance_px, stroke.radius_px * near.pressure, stroke.softness);
                mask(row, column) = std::max(mask(row, column), float(part * stroke.flow));
            }
        }
    });
    return mask;
}

cv::Mat1f mask_of(const FadeAcross&, const Stroke& stroke, PixelRect area, const MergePlanes&,
                  const Job& job) {
    cv::Mat1f mask(area.size(), 0.0f);
    if (!leads_somewhere(stroke)) return mask;
    for_rows(area.height, job, [&](int row) {
        for (int column = 0; column < area.width; ++column) {
            const double place = fade_place(stroke, area.x + column, area.y + row);
            mask(row, column) = float(eased(std::min(1.0, place)) * stroke.flow);
        }
    });
    return mask;
}

/// How much of each pixel lies within outlines or on them, 0..255. It is drawn in tiles that lie at the same
/// places whatever area is asked for: a line that is cut off at another place is drawn a little otherwise.
cv::Mat1b inside_outlines(const std::vector<std::vector<StrokePoint>>& outlines, PixelRect area,
                          const Job& job) {
    const auto tile_of = [](int at) { return int(std::floor(double(at) / kTile)); };
    const int left = tile_of(area.x), top = tile_of(area.y), across = tile_of(area.br().x - 1) - left + 1,
              down = tile_of(area.br().y - 1) - top + 1;
    cv::Mat1b inside(area.size(), uchar(0));
    for_rows(across * down, job, [&](int index) {
        const PixelRect tile((left + index % across) * kTile, (top + index / across) * kTile, kTile, kTile);
        std::vector<std::vector<cv::Point>> drawn;
        for (const std::vector<StrokePoint>& outline : outlines) {
            drawn.emplace_back();
            for (const StrokePoint& point : outline)
                drawn.back().emplace_back(int(std::lround((point.x_px - tile.x) * (1 << kBits))),
                                          int(std::lround((point.y_px - tile.y) * (1 << kBits))));
        }
        cv::Mat1b own(tile.size(), uchar(0));
        if (!drawn.empty()) cv::fillPoly(own, drawn, cv::Scalar(255), cv::LINE_AA, kBits);
        const PixelRect both = tile & area;
        own(both - tile.tl()).copyTo(inside(both - area.tl()));
    });
    return inside;
}

cv::Mat1f mask_of(const WithinOutline& shape, const Stroke& stroke, PixelRect area, const MergePlanes&,
                  const Job& job) {
    const double sigma = rim_sigma(stroke);
    const PixelRect around = grown(area, int(std::ceil(3 * sigma)) + 1);
    return softened(inside_outlines(shape.outlines, around, job), around, area, sigma) * stroke.flow;
}

cv::Mat1f mask_of(const WhereRule& rule, const Stroke& stroke, PixelRect area, const MergePlanes& planes,
                  const Job&) {
    using Kind = WhereRule::Kind;
    const double sigma = rim_sigma(stroke);
    const bool by_trust = rule.kind == Kind::trust_below;
    const PixelRect around =
        grown(area, int(std::ceil(3 * sigma)) + (by_trust ? 2 * kSpeck : 0)) & planes.area;
    const PixelRect asked = area & planes.area;
    cv::Mat1f mask(area.size(), 0.0f);
    if (asked.empty()) return mask;
    const cv::Mat& plane = by_trust                           ? cv::Mat(planes.trust)
                           : rule.kind == Kind::depth_between ? cv::Mat(planes.depth)
                                                              : cv::Mat(planes.source);
    if (plane.empty()) throw BadParameter("this merge knows nothing that the places could be chosen by");
    const cv::Mat own = plane(around - planes.area.tl());
    cv::Mat hard;
    if (by_trust) {
        const cv::Mat window = cv::getStructuringElement(cv::MORPH_ELLIPSE, {2 * kSpeck + 1, 2 * kSpeck + 1});
        cv::morphologyEx(own < rule.most, hard, cv::MORPH_OPEN, window);
    } else if (rule.kind == Kind::depth_between) {
        hard = (own >= rule.least) & (own <= rule.most);
    } else {
        const auto found = std::find(planes.frames.begin(), planes.frames.end(), rule.frame);
        if (found == planes.frames.end())
            throw BadParameter("the merge was made without the frame whose places are chosen");
        hard = own == double(found - planes.frames.begin() + 1);
    }
    softened(hard, around, asked, sigma).copyTo(mask(asked - area.tl()));
    return mask * stroke.flow;
}

}  // namespace

PixelRect reach_of(const Stroke& stroke) {
    if (std::holds_alternative<FadeAcross>(stroke.shape) || std::holds_alternative<WhereRule>(stroke.shape))
        return {-kEverywhere / 2, -kEverywhere / 2, kEverywhere, kEverywhere};
    const auto* within = std::get_if<WithinOutline>(&stroke.shape);
    std::vector<StrokePoint> ends = within ? std::vector<StrokePoint>() : stroke.points;
    if (within)
        for (const std::vector<StrokePoint>& outline : within->outlines)
            ends.insert(ends.end(), outline.begin(), outline.end());
    if (ends.empty()) return {};
    double left = 1e300, top = 1e300, right = -1e300, bottom = -1e300;
    for (const StrokePoint& point : ends) {
        left = std::min(left, point.x_px), right = std::max(right, point.x_px);
        top = std::min(top, point.y_px), bottom = std::max(bottom, point.y_px);
    }
    const double reach = (within ? 3 * rim_sigma(stroke) : stroke.radius_px) + 1;
    const int x = int(std::floor(left - reach)), y = int(std::floor(top - reach));
    return {x, y, int(std::ceil(right + reach)) + 1 - x, int(std::ceil(bottom + reach)) + 1 - y};
}

Stroke carried_over(Stroke stroke, const cv::Matx33d& to_plane) {
    const auto moved = [&](double x, double y) {
        const cv::Vec3d at = to_plane * cv::Vec3d(x, y, 1);
        return cv::Point2d(at[0] / at[2], at[1] / at[2]);
    };
    const auto move = [&](std::vector<StrokePoint>& points) {
        for (StrokePoint& point : points) {
            const cv::Point2d at = moved(point.x_px, point.y_px);
            point.x_px = at.x, point.y_px = at.y;
        }
    };
    const PixelRect reach = reach_of(stroke);
    auto* within = std::get_if<WithinOutline>(&stroke.shape);
    // Sizes and distances are measured in the middle of the stroke.
    const bool is_placed = !stroke.points.empty() || within;
    const double x = is_placed ? reach.x + reach.width / 2.0 : 0,
                 y = is_placed ? reach.y + reach.height / 2.0 : 0;
    const cv::Point2d here = moved(x, y);
    const double scale = cv::norm(moved(x + 1, y) - here);
    stroke.radius_px = std::max(0.5, stroke.radius_px * scale);
    if (auto* place = std::get_if<FromPlace>(&stroke.source)) {
        const cv::Point2d away = moved(x + place->dx_px, y + place->dy_px) - here;
        *place = {int(std::lround(away.x)), int(std::lround(away.y))};
    }
    move(stroke.points);
    if (within)
        for (std::vector<StrokePoint>& outline : within->outlines) move(outline);
    return stroke;
}

cv::Mat1f stroke_mask(const Stroke& stroke, PixelRect area, const MergePlanes& planes, const Job& job) {
    check(stroke);
    return std::visit([&](const auto& shape) { return mask_of(shape, stroke, area, planes, job); },
                      stroke.shape);
}

bool leads_somewhere(const Stroke& fade) {
    if (fade.points.size() < 2) return false;
    const StrokePoint &from = fade.points.front(), &to = fade.points.back();
    return std::hypot(to.x_px - from.x_px, to.y_px - from.y_px) >= 1;
}

double fade_place(const Stroke& stroke, double x_px, double y_px) {
    const StrokePoint &from = stroke.points.front(), &to = stroke.points.back();
    const double dx = to.x_px - from.x_px, dy = to.y_px - from.y_px;
    const double along = ((x_px - from.x_px) * dx + (y_px - from.y_px) * dy) / (dx * dx + dy * dy);
    const double sources = 1 + double(std::get<FadeAcross>(stroke.shape).through.size());
    return std::clamp(along, 0.0, 1.0) * sources;
}

Painted painted_on(const SharedList<Stroke>& strokes, PixelRect area, const MergePlanes& planes,
                   const Job& job) {
    Painted painted{cv::Mat1f(area.size(), 0.0f), cv::Mat1w(area.size(), ushort(0))};
    cv::Mat1f most(area.size(), 0.0f);
    int number = 0;
    for (const Stroke& stroke : strokes) {
        ++number;
        const PixelRect where = reach_of(stroke) & area;
        if (stroke.is_off || where.empty()) continue;
        const bool wipes = std::holds_alternative<WipeBack>(stroke.source);
        const cv::Mat1f mask = stroke_mask(stroke, where, planes, job);
        const cv::Point corner = where.tl() - area.tl();
        for_rows(where.height, job, [&](int row) {
            const int y = corner.y + row;
            for (int column = 0; column < where.width; ++column) {
                const int x = corner.x + column;
                const float brought = mask(row, column);
                painted.share(y, x) += brought * ((wipes ? 0.0f : 1.0f) - painted.share(y, x));
                most(y, x) *= 1 - brought;
                if (brought <= most(y, x)) continue;
                most(y, x) = brought;
                painted.stroke(y, x) = wipes ? ushort(0) : ushort(number);
            }
        });
    }
    return painted;
}

}  // namespace moorhaze
