// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/shown/shown.h"

#include <algorithm>

namespace moorhaze::desktop {
namespace {

/// The plane that a stage shows frames in; null: as shot.
PlanePtr plane_of(const Standpoint& standpoint, const Products& products) {
    if (const ProjectResult* result = standpoint.result(); result && standpoint.stage() >= Stage::merge)
        if (const MergeProduct* product = products.merge(result->id)) return product->plane;
    const bool as_shot = standpoint.stage() < Stage::align ||
                         (standpoint.stage() == Stage::align && standpoint.comparing().as_shot);
    return as_shot ? nullptr : products.plane();
}

/// A frame in a plane; none where it came after that was made.
ShownPicture frame_in(const PlanePtr& plane, FrameId frame) {
    if (plane && !index_of(plane->series, frame)) return {};
    return FrameView{frame, plane, false, std::nullopt};
}

}  // namespace

std::optional<FrameId> partner_of(const Document& document, const Standpoint& standpoint,
                                  const Products& products) {
    if (!document.has_series()) return std::nullopt;
    const int shown = standpoint.place(), last = document.series().count() - 1;
    const Partner& partner = standpoint.partner();
    switch (partner.kind) {
        case Partner::nearer:
            return document.id_at(std::max(0, shown - 1));
        case Partner::farther:
            return document.id_at(std::min(last, shown + 1));
        case Partner::chosen:
            if (document.place(partner.frame) >= 0) return partner.frame;
            break;
        case Partner::reference:
            break;
    }
    if (const PlanePtr& plane = products.plane())
        return plane->series.frames[std::size_t(plane->geometry.reference)].id;
    return products.reference();
}

Shown shown_of(const Document& document, const Standpoint& standpoint, const Products& products,
               const Momentary& momentary) {
    Shown shown;
    const Stage stage = standpoint.stage();
    if (stage == Stage::plan && momentary.live) {
        shown.main = LivePicture{};
        return shown;
    }
    if (stage == Stage::finish && standpoint.finish_page() == FinishPage::views && momentary.views) {
        shown.main = ViewsPicture{};
        return shown;
    }
    if (!document.has_series() || !standpoint.frame()) return shown;
    shown.frame = standpoint.frame();
    shown.plane = plane_of(standpoint, products);
    const ShownPicture frame = frame_in(shown.plane, *shown.frame);
    const ProjectResult* result = standpoint.result();
    if (stage == Stage::finish && result && products.merge(result->id)) {
        shown.main = FinishedPicture{result->id};
        shown.other = UnfinishedPicture{result->id};
    } else if (stage >= Stage::merge && result && products.merge(result->id)) {
        shown.main = ResultPicture{result->id};
        shown.other = frame;
        const auto source = standpoint.source_result();
        if (stage == Stage::mend && source && *source != result->id && products.merge(*source))
            shown.other = ResultPicture{*source};
        const auto compared = standpoint.compared_result();
        if (stage == Stage::merge && compared && *compared != result->id && products.merge(*compared))
            shown.other = ResultPicture{*compared};
    } else if (stage == Stage::merge && momentary.growing) {
        shown.main = GrowthPicture{};
        shown.other = frame;
    } else if (stage == Stage::cull && standpoint.quick_look() && momentary.quick) {
        shown.main = QuickPicture{};
        shown.other = frame;
    } else {
        shown.main = frame;
        if (auto* own = std::get_if<FrameView>(&shown.main)) {
            own->marked = standpoint.sharp_marks() && stage <= Stage::cull;
            if (stage == Stage::align) {
                const auto partner = partner_of(document, standpoint, products);
                if (standpoint.comparing().edges && partner != shown.frame) own->edges_with = partner;
                if (partner) shown.other = frame_in(shown.plane, *partner);
            }
        }
    }
    return shown;
}

std::vector<StoredView> wishes_of(const Shown& shown, const Document& document) {
    std::vector<StoredView> wishes;
    auto add = [&](const ShownPicture& picture) {
        if (const auto* frame = std::get_if<FrameView>(&picture)) wishes.emplace_back(*frame);
    };
    add(shown.main);
    add(shown.other);
    if (const auto* other = std::get_if<ResultPicture>(&shown.other))
        if (const ProjectResult* result = find_result(document.project(), other->result))
            wishes.emplace_back(ResultView{document.id(), result->id, result->strokes});
    const auto* main = std::get_if<FrameView>(&shown.main);
    if (!main || main->edges_with) return wishes;
    const int place = document.place(main->frame);
    for (const int step : {1, -1, 2, -2})
        if (const int near = place + step; near >= 0 && near < document.series().count()) {
            FrameView view = *main;
            view.frame = document.id_at(near);
            wishes.emplace_back(view);
        }
    return wishes;
}

}  // namespace moorhaze::desktop
