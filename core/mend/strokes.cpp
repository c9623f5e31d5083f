#include "core/mend/strokes.h"

#include <algorithm>
#include <cmath>

#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

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
    const double t = (outer - distance_px) / (outer - inner);
    return t * t * (3 - 2 * t);
}

}  // namespace

PixelRect reach_of(const Stroke& stroke) {
    if (stroke.points.empty()) return {};
    double left = 1e300, top = 1e300, right = -1e300, bottom = -1e300;
    for (const StrokePoint& point : stroke.points) {
        left = std::min(left, point.x_px), right = std::max(right, point.x_px);
        top = std::min(top, point.y_px), bottom = std::max(bottom, point.y_px);
    }
    const double reach = stroke.radius_px + 1;
    const int x = int(std::floor(left - reach)), y = int(std::floor(top - reach));
    return {x, y, int(std::ceil(right + reach)) + 1 - x, int(std::ceil(bottom + reach)) + 1 - y};
}

cv::Mat1f stroke_mask(const Stroke& stroke, PixelRect area, const Job& job) {
    check(stroke);
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

double painted_share(const SharedList<Stroke>& strokes, StrokePoint place) {
    const PixelRect pixel(int(std::lround(place.x_px)), int(std::lround(place.y_px)), 1, 1);
    double painted = 0;
    for (const Stroke& stroke : strokes) {
        if (stroke.is_off || (reach_of(stroke) & pixel).empty()) continue;
        const bool wipes = std::holds_alternative<WipeBack>(stroke.source);
        const double brought = double(stroke_mask(stroke, pixel, {})(0, 0));
        painted += brought * ((wipes ? 0.0 : 1.0) - painted);
    }
    return painted;
}

cv::Mat render_strokes(const Picture& merge, PixelRect merge_area, const SharedList<Stroke>& strokes,
                       PixelRect area, const ToneCurve& curve, const SourcePixels& source, const Job& job) {
    area &= merge_area;
    if (area.empty()) return {};
    const Picture part{merge.pixels(area - merge_area.tl()), {}, merge.profile};
    std::vector<const Stroke*> touching;
    for (const Stroke& stroke : strokes)
        if (!stroke.is_off && !(reach_of(stroke) & area).empty()) touching.push_back(&stroke);
    if (touching.empty()) return part.pixels.clone();

    const cv::Mat3f merged = to_linear(part, curve);
    cv::Mat3f mended = merged.clone();
    for (const Stroke* stroke : touching) {
        const PixelRect where = reach_of(*stroke) & area;
        const cv::Mat1f mask = stroke_mask(*stroke, where, job.quiet());
        const bool wipes = std::holds_alternative<WipeBack>(stroke->source);
        const SourcePart part_of_source =
            wipes ? SourcePart{merged(where - area.tl()), {}} : source(stroke->source, where);
        const cv::Mat3f& from = part_of_source.light;
        if (from.size() != mask.size()) throw BadParameter("the source does not cover the stroke");
        cv::Mat3f onto = mended(where - area.tl());
        for_rows(where.height, job.quiet(), [&](int y) {
            const RowSpan span = part_of_source.covered.empty() ? RowSpan{0, where.width}
                                                                : part_of_source.covered[std::size_t(y)];
            for (int x = span.begin; x < span.end; ++x)
                if (const float share = mask(y, x); share > 0)
                    onto(y, x) += share * (from(y, x) - onto(y, x));
        });
        job.checkpoint();
    }
    // Untouched pixels keep their very bits.
    const Picture encoded = from_linear(mended, curve, merge.profile);
    cv::Mat out = part.pixels.clone();
    for_rows(out.rows, job.quiet(), [&](int y) {
        const auto *before = merged.ptr<float>(y), *after = mended.ptr<float>(y);
        const auto* fresh = encoded.pixels.ptr<ushort>(y);
        auto* target = out.ptr<ushort>(y);
        for (int i = 0; i < 3 * out.cols; ++i)
            if (before[i] != after[i]) target[i] = fresh[i];
    });
    return out;
}

}  // namespace moorhaze
