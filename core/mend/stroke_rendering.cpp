// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mend/stroke_rendering.h"

#include <algorithm>
#include <cmath>

#include "core/mend/eased.h"
#include "core/mend/grown.h"
#include "core/mend/tone_match.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

constexpr int kToneRim = 12;  // px around a stroke that its source's tone is matched to
constexpr std::size_t kKeptBytes = std::size_t(384) << 20;  // of what strokes bring

bool matches_tone(const Stroke& stroke) {
    return stroke.match_tone && !std::holds_alternative<WipeBack>(stroke.source) &&
           (std::holds_alternative<AlongPath>(stroke.shape) ||
            std::holds_alternative<WithinOutline>(stroke.shape));
}

/// At other places of the picture than it changes: what it brings is worth keeping.
bool looks_elsewhere(const Stroke& stroke) {
    return matches_tone(stroke) || std::holds_alternative<FromPlace>(stroke.source);
}

std::size_t bytes_of(const SourcePart& part) {
    return part.light.total() * sizeof(cv::Vec3f) + part.covered.size() * sizeof(RowSpan);
}

/// The part of it that lies over a smaller area.
SourcePart part_within(const SourcePart& part, PixelRect whole, PixelRect area) {
    const cv::Rect own = area - whole.tl();
    SourcePart within{part.light(own), {}};
    for (int y = own.y; y < own.br().y && !part.covered.empty(); ++y) {
        const RowSpan span = part.covered[std::size_t(y)];
        const int begin = std::clamp(span.begin - own.x, 0, own.width);
        within.covered.push_back({begin, std::clamp(span.end - own.x, begin, own.width)});
    }
    return within;
}

}  // namespace

StrokeRendering::StrokeRendering(const Picture& merge, const MergePlanes& planes,
                                 const SharedList<Stroke>& strokes, const ToneCurve& curve,
                                 const SourcePixels& source, int strip_pixels)
    : merge_(merge),
      planes_(planes),
      strokes_(strokes),
      curve_(curve),
      source_(source),
      strip_pixels_(strip_pixels) {}

cv::Mat3f StrokeRendering::merged_light(PixelRect area) const {
    return to_linear({merge_.pixels(area - planes_.area.tl()), {}, merge_.profile}, curve_);
}

cv::Mat StrokeRendering::pixels(int count, PixelRect area, const Job& job) {
    area &= planes_.area;
    if (area.empty()) return {};
    cv::Mat out = merge_.pixels(area - planes_.area.tl()).clone();
    const int rows = std::max(1, strip_pixels_ / area.width);
    for (int top = 0; top < area.height; top += rows) {
        const PixelRect strip =
            PixelRect(area.x, area.y + top, area.width, std::min(rows, area.height - top));
        if (!is_touched(count, strip)) continue;
        const cv::Mat3f merged = merged_light(strip),
                        mended = light(
                            count, strip,
                            job.part(double(top) / area.height, double(top + strip.height) / area.height));
        const cv::Mat encoded = from_linear(mended, curve_, merge_.profile).pixels;
        for_rows(strip.height, job.quiet(), [&](int y) {
            const auto *before = merged.ptr<float>(y), *after = mended.ptr<float>(y);
            const auto* fresh = encoded.ptr<ushort>(y);
            auto* target = out.ptr<ushort>(top + y);
            for (int i = 0; i < 3 * out.cols; ++i)
                if (before[i] != after[i]) target[i] = fresh[i];
        });
    }
    return out;
}

bool StrokeRendering::is_touched(int count, PixelRect area) const {
    for (int i = 0; i < count; ++i)
        if (!strokes_[i].is_off && !(reach_of(strokes_[i]) & area).empty()) return true;
    return false;
}

cv::Mat3f StrokeRendering::light(int count, PixelRect area, const Job& job) {
    const cv::Mat3f made = rendered(count, area, job);
    forget_least_used();
    return made;
}

/// Each kept part is worked out at most once within a call: nothing is forgotten meanwhile, so that strokes
/// which look at one another's places do not work out each other again and again.
cv::Mat3f StrokeRendering::rendered(int count, PixelRect area, const Job& job) {
    const cv::Mat3f merged = merged_light(area);
    cv::Mat3f mended = merged;
    for (int i = 0; i < count; ++i) {
        const Stroke& stroke = strokes_[i];
        const PixelRect where = reach_of(stroke) & area;
        if (stroke.is_off || where.empty()) continue;
        if (mended.data == merged.data) mended = merged.clone();
        lay_over(i, where, area, merged, mended, job);
        job.checkpoint(double(i + 1) / count);
    }
    return mended;
}

/// A stroke and the rim that its tone is matched to.
PixelRect StrokeRendering::around(const Stroke& stroke) const {
    return grown(reach_of(stroke), matches_tone(stroke) ? kToneRim : 0) & planes_.area;
}

const StrokeRendering::Kept& StrokeRendering::kept_part(int index, const Job& job) {
    const auto found = kept_.find(index);
    if (found != kept_.end()) {
        found->second.used = ++uses_;
        return found->second;
    }
    const PixelRect where = around(strokes_[index]);
    SourcePart part = worked_out(index, where, job);
    return kept_[index] = {where, std::move(part), ++uses_};
}

void StrokeRendering::forget_least_used() {
    std::size_t bytes = 0;
    for (const auto& [index, own] : kept_) bytes += bytes_of(own.part);
    while (bytes > kKeptBytes) {
        const auto oldest = std::min_element(
            kept_.begin(), kept_.end(),
            [](const auto& one, const auto& other) { return one.second.used < other.second.used; });
        bytes -= bytes_of(oldest->second.part);
        kept_.erase(oldest);
    }
}

SourcePart StrokeRendering::worked_out(int index, PixelRect where, const Job& job) {
    const Stroke& stroke = strokes_[index];
    SourcePart part;
    const auto* place = std::get_if<FromPlace>(&stroke.source);
    const auto* fade = std::get_if<FadeAcross>(&stroke.shape);
    if (place)
        part = copied(index, {place->dx_px, place->dy_px}, where, job);
    else if (fade && !fade->through.empty())
        part = faded_through(*fade, stroke, where);
    else
        part = source_(stroke.source, where);
    if (part.light.size() != where.size()) throw BadParameter("the source does not cover the stroke");
    if (matches_tone(stroke))
        part.light = tone_matched(part.light, part.covered, rendered(index, where, job.quiet()),
                                  stroke_mask(stroke, where, planes_, job.quiet()), job.quiet());
    return part;
}

/// Another place of the picture, as the strokes before left it.
SourcePart StrokeRendering::copied(int index, cv::Point offset, PixelRect where, const Job& job) {
    const PixelRect there = (where + offset) & planes_.area;
    SourcePart part{cv::Mat3f(where.size(), cv::Vec3f(0, 0, 0)), {}};
    const PixelRect here = there - offset - where.tl();
    if (!there.empty()) rendered(index, there, job.quiet()).copyTo(part.light(here));
    for (int y = 0; y < where.height; ++y)
        part.covered.push_back(!there.empty() && y >= here.y && y < here.br().y ? RowSpan{here.x, here.br().x}
                                                                                : RowSpan{0, 0});
    return part;
}

/// The frames of a fade, each passing into the next.
SourcePart StrokeRendering::faded_through(const FadeAcross& fade, const Stroke& stroke,
                                          PixelRect where) const {
    SourcePart part{cv::Mat3f(where.size(), cv::Vec3f(0, 0, 0)), {}};
    if (!leads_somewhere(stroke)) return part;
    double least = 1e300, most = 0;  // a fade runs evenly: its ends lie in the corners
    for (const double x : {where.x, where.br().x - 1})
        for (const double y : {where.y, where.br().y - 1}) {
            const double place = fade_place(stroke, x, y);
            least = std::min(least, place), most = std::max(most, place);
        }
    std::vector<StrokeSource> sources(fade.through.begin(), fade.through.end());
    sources.push_back(stroke.source);
    for (std::size_t i = 0; i < sources.size(); ++i) {
        const double own = double(i + 1);
        // The first holds from the beginning on: there the mask passes into the picture.
        if (most <= own - 1 && i > 0) break;
        if (least >= own + 1) continue;
        const SourcePart brought = source_(sources[i], where);
        if (part.covered.empty()) part.covered = brought.covered;
        for (std::size_t y = 0; y < brought.covered.size(); ++y)
            part.covered[y] = {std::max(part.covered[y].begin, brought.covered[y].begin),
                               std::min(part.covered[y].end, brought.covered[y].end)};
        for_rows(where.height, Job{}, [&](int y) {
            for (int x = 0; x < where.width; ++x) {
                const double place = std::max(1.0, fade_place(stroke, where.x + x, where.y + y));
                const double away = std::abs(place - own);
                if (away < 1) part.light(y, x) += float(eased(1 - away)) * brought.light(y, x);
            }
        });
    }
    return part;
}

void StrokeRendering::lay_over(int index, PixelRect where, PixelRect all, const cv::Mat3f& merged,
                               cv::Mat3f& mended, const Job& job) {
    const Stroke& stroke = strokes_[index];
    const cv::Mat1f mask = stroke_mask(stroke, where, planes_, job.quiet());
    SourcePart part;
    if (std::holds_alternative<WipeBack>(stroke.source)) {
        part.light = merged(where - all.tl());
    } else if (looks_elsewhere(stroke)) {
        const Kept& kept = kept_part(index, job);
        part = part_within(kept.part, kept.where, where);
    } else {
        part = worked_out(index, where, job);
    }
    cv::Mat3f onto = mended(where - all.tl());
    for_rows(where.height, job.quiet(), [&](int y) {
        const RowSpan span = part.covered.empty() ? RowSpan{0, where.width} : part.covered[std::size_t(y)];
        for (int x = span.begin; x < span.end; ++x)
            if (const float share = mask(y, x); share > 0)
                onto(y, x) += share * (part.light(y, x) - onto(y, x));
    });
}

cv::Mat render_strokes(const Picture& merge, const MergePlanes& planes, const SharedList<Stroke>& strokes,
                       PixelRect area, const ToneCurve& curve, const SourcePixels& source, const Job& job) {
    return StrokeRendering(merge, planes, strokes, curve, source).pixels(strokes.size(), area, job);
}

cv::Mat3f light_beneath(const Picture& merge, const MergePlanes& planes, const SharedList<Stroke>& strokes,
                        PixelRect area, const ToneCurve& curve, const SourcePixels& source, const Job& job) {
    area &= planes.area;
    if (area.empty()) return {};
    return StrokeRendering(merge, planes, strokes, curve, source).light(strokes.size(), area, job);
}

}  // namespace moorhaze
