// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/hands/stroke_edits.h"

#include "desktop/session/document/mended_result.h"
#include "desktop/session/work/text.h"

namespace moorhaze::desktop {

void StrokeEdits::set_stroke_off(int stroke, bool off) {
    change_stroke(off ? tr("switch a stroke off") : tr("switch a stroke on"), stroke,
                  [off](Stroke& own) { own.is_off = off; });
}

void StrokeEdits::paint_stroke_as_brush(int stroke) {
    const Brush& brush = base_.standpoint.brush();
    if (const QString why = brushwork_.why_not(); !why.isEmpty()) return base_.notices.notify_error(why);
    change_stroke(tr("change a stroke"), stroke, [&](Stroke& own) {
        if (brush.tool == MendTool::wipe_back)
            own.source = WipeBack{};
        else if (brush.tool != MendTool::heal && brush.tool != MendTool::copy)
            own.source = base_.standpoint.stroke_source();
        // The way to another source leads through other frames.
        if (auto* fade = std::get_if<FadeAcross>(&own.shape); fade && !fade->through.empty())
            fade->through = std::holds_alternative<FrameId>(own.source)
                                ? brushwork_.frames_between(own.points[0], std::get<FrameId>(own.source))
                                : std::vector<FrameId>();
        own.match_tone = brush.match_tone || brush.tool == MendTool::heal;
        own.radius_px = brush.radius_px;
        own.softness = brush.softness;
        own.flow = brush.flow;
    });
}

void StrokeEdits::delete_stroke(int stroke) {
    const ProjectResult* result = base_.standpoint.result();
    if (!result || stroke < 0 || stroke >= result->strokes.size()) return;
    std::vector<int> others;
    for (int i = 0; i < result->strokes.size(); ++i)
        if (i != stroke) others.push_back(i);
    base_.document.edit(tr("delete a stroke"),
                        with_strokes(base_.document.project(), result->id, result->strokes.picked(others)));
}

const ProjectResult* StrokeEdits::others_strokes() const {
    const ProjectResult* shown = base_.standpoint.result();
    const ProjectResult* newest = nullptr;
    if (shown)
        for (const ProjectResult& other : base_.document.project().results)
            if (other.id != shown->id && !other.strokes.empty()) newest = &other;
    return newest;
}

void StrokeEdits::take_over_strokes() {
    const ProjectResult *shown = base_.standpoint.result(), *other = others_strokes();
    const MergeProduct *to = shown ? base_.products.merge(shown->id) : nullptr,
                       *from = other ? base_.products.merge(other->id) : nullptr;
    if (!shown || !other) return;
    if (!to || !from)
        return base_.notices.notify_error(
            tr("%1 is still being read.").arg(text((to ? other : shown)->title)));
    const auto lies =
        between_planes(from->plane->series, from->plane->geometry, to->plane->series, to->plane->geometry);
    if (!lies)
        return base_.notices.notify_error(
            tr("%1 was laid over a frame that is not aligned here, so its strokes cannot be placed.")
                .arg(text(other->title)));
    SharedList<Stroke> strokes = shown->strokes;
    for (const Stroke& stroke : other->strokes) {
        Stroke own = carried_over(stroke, *lies);
        // What was painted from this result is this result.
        if (own.source == StrokeSource(shown->id)) own.source = WipeBack{};
        strokes = strokes.appended(own);
    }
    base_.document.edit(tr("take over the strokes of %1").arg(text(other->title)),
                        with_strokes(base_.document.project(), shown->id, strokes));
}

void StrokeEdits::change_stroke(const QString& what, int stroke, const std::function<void(Stroke&)>& change) {
    const ProjectResult* result = base_.standpoint.result();
    if (!result || stroke < 0 || stroke >= result->strokes.size()) return;
    std::vector<Stroke> strokes(result->strokes.begin(), result->strokes.end());
    change(strokes[std::size_t(stroke)]);
    base_.document.edit(what, with_strokes(base_.document.project(), result->id, SharedList(strokes)));
}

}  // namespace moorhaze::desktop
