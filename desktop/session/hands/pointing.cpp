// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/hands/pointing.h"

#include <algorithm>

#include "desktop/session/document/facts.h"

namespace moorhaze::desktop {
namespace {

/// The frame in whose own pixels a place was pointed at; none: the reference plane.
std::optional<FrameId> pointed_frame(const Shown& shown) {
    return std::holds_alternative<QuickPicture>(shown.main) ? std::nullopt : shown.frame;
}

}  // namespace

Pointing::Pointing(SessionBase& base, Culling& culling, Sounding& sounding, QObject* parent)
    : QObject(parent), base_(base), culling_(culling), sounding_(sounding) {
    connect(&sounding_, &Sounding::changed, this, &Pointing::follow_sounding);
}

QPointF Pointing::share_of(QPointF place) const {
    const cv::Size size = base_.document.series().size();
    return {(place.x() + 0.5) / size.width, (place.y() + 0.5) / size.height};
}

void Pointing::point_at(QPointF place, bool sound, const Shown& shown, int patch_px) {
    if (!shown.frame) return;  // live view, or nothing
    if (!sound && base_.standpoint.stage() <= Stage::cull) {
        const QPointF share = share_of(place);
        if (const auto frame = culling_.sharpest_at(share.x(), share.y(), pointed_frame(shown)))
            base_.standpoint.set_frame(*frame);  // where none is sharp the sounding says so
    }
    source_follows_ = base_.standpoint.stage() == Stage::mend;
    followed_.reset();
    sounding_.drop(place, patch_px, shown.plane ? shown.plane : base_.products.plane_or_unmoved());
}

void Pointing::follow_sounding() {
    if (!sounding_.is_open() || !source_follows_ || base_.standpoint.stage() != Stage::mend) return;
    // Whatever else picked a source meanwhile, the person did.
    if (followed_ && base_.standpoint.source() != followed_) return;
    // Where no frame is sharp none is picked.
    if (const auto sharpest = sounding_.sharpest_frame()) {
        followed_ = sharpest;
        base_.standpoint.set_source(sharpest);
        base_.standpoint.set_frame(*sharpest);
    }
}

void Pointing::pick(FrameId frame) {
    source_follows_ = false;
    base_.standpoint.set_frame(frame);
    if (base_.standpoint.stage() != Stage::mend) return;
    base_.standpoint.set_source(frame);
    if (base_.standpoint.brush().tool == MendTool::wipe_back) base_.standpoint.set_tool(MendTool::draw_in);
}

QString Pointing::why_no_other() const {
    if (base_.standpoint.stage() != Stage::mend) return tr("In Mend.");
    return sounding_.is_open() && sounding_.other_sharp_frame()
               ? QString()
               : tr("Sound a place where two depths meet first.");
}

void Pointing::pick_other() {
    const auto one = sounding_.sharpest_frame(), other = sounding_.other_sharp_frame();
    if (!one || !other) return;
    pick(base_.standpoint.source() == other ? *one : *other);
}

void Pointing::pick_result(ResultId result) {
    if (base_.standpoint.stage() != Stage::mend) return;
    source_follows_ = false;
    base_.standpoint.set_source_result(result);
    if (base_.standpoint.brush().tool == MendTool::wipe_back) base_.standpoint.set_tool(MendTool::draw_in);
}

void Pointing::step(int by) {
    if (base_.standpoint.stage() != Stage::mend || !base_.document.has_series())
        return base_.standpoint.step(by);
    const auto source = base_.standpoint.source();
    const int from = source ? base_.document.place(*source) : base_.standpoint.place();
    pick(base_.document.id_at(std::clamp(from + by, 0, base_.document.series().count() - 1)));
}

void Pointing::keep_along(const QList<QPointF>& places, const Shown& shown) {
    base_.standpoint.set_keeping(false);
    if (!shown.frame || places.isEmpty()) return;
    std::vector<cv::Point2d> along;
    for (const QPointF& place : places) {
        const QPointF share = share_of(place);
        along.emplace_back(share.x(), share.y());
    }
    if (along.size() > 1) {
        const auto range = culling_.range_along(along, pointed_frame(shown));
        if (!range) return say_none_is_sharp();
        culling_.set_range(*range);
        return base_.notices.notify(
            tr("Frames %1 to %2 have sharp what you drew across, one to spare at each end.")
                .arg(range->first + 1)
                .arg(range->last + 1));
    }
    const auto frame = culling_.sharpest_at(along[0].x, along[0].y, pointed_frame(shown));
    if (!frame) return say_none_is_sharp();
    const int place = base_.document.place(*frame);
    const FrameRange range = base_.document.series().range;
    const bool near = std::abs(place - range.first) <= std::abs(place - range.last);
    culling_.set_range(near ? FrameRange{place, std::max(place, range.last)}
                            : FrameRange{std::min(place, range.first), place});
    base_.standpoint.set_frame(*frame);
}

void Pointing::say_none_is_sharp() {
    if (base_.products.is_looked()) return base_.notices.notify(tr("No frame is sharp there."));
    base_.notices.notify_error(tr("The frames are still being looked at; try again in a moment."));
}

void Pointing::next_suggestion() {
    const auto list = suggestions(base_);
    if (list.empty()) return;
    const int here = base_.standpoint.place();
    for (const Suggestion& suggestion : list)
        if (suggestion.first > here) return base_.standpoint.set_place(suggestion.first);
    base_.standpoint.set_place(list[0].first);
}

void Pointing::limit_here(bool near) {
    if (!base_.document.has_series()) return;
    const int here = base_.standpoint.place();
    const FrameRange range = base_.document.series().range;
    culling_.set_range(near ? FrameRange{here, std::max(here, range.last)}
                            : FrameRange{std::min(here, range.first), here});
}

}  // namespace moorhaze::desktop
