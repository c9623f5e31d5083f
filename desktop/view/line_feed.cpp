// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/view/line_feed.h"

#include <algorithm>
#include <cmath>
#include <map>

#include "desktop/session/document/facts.h"
#include "desktop/session/work/text.h"
#include "desktop/view/depth_line.h"
#include "desktop/view/path_bar.h"
#include "desktop/view/sounding_panel.h"

namespace moorhaze::desktop {

LineFeed::LineFeed(Session& session, DepthLine& line, PathBar& path, SoundingPanel& panel, QObject* parent)
    : QObject(parent), session_(session), line_(line), path_(path), panel_(panel) {
    connect(&session_.document.settling(), &Settling::settled, this, [this](const Settled& what) {
        using Aspect = Standpoint::Aspect;
        if (what.document.selection() || what.document.development || !what.document.mended.empty() ||
            what.has_product(Products::Kind::look) || what.has_any_of(Aspect::stage, Aspect::result))
            show_line();
        if (what.has_aspect(Aspect::frame)) line_.set_current(session_.standpoint.place());
        if (what.has_product(Products::Kind::geometry) || what.has_any_of(Aspect::stage, Aspect::drift))
            show_drift();
        show_path();
    });
    connect(&session_.looking, &Looking::frame_looked, this, &LineFeed::show_line);
    connect(&session_.sounding, &Sounding::changed, this, &LineFeed::show_threads);
    connect(&session_.snag_walk, &SnagWalk::changed, this, &LineFeed::show_path);
    for (auto signal : {&ShootDesk::state_changed, &ShootDesk::progress_changed, &ShootDesk::setup_changed})
        connect(&session_.shoot_desk, signal, this, &LineFeed::show_path);
    show_line();
    show_path();
}

void LineFeed::show_line() {
    std::vector<DepthTick> ticks;
    const Series& series = session_.document.series();
    const Looked* looked = session_.products.looked();
    const OrderReport order = looked ? looked->order : OrderReport();
    const bool has_places = !order.needs_repair() && int(order.depth.size()) == series.count();
    double usual = 0;
    if (has_places && order.depth.size() > 1)
        usual = (order.depth.back() - order.depth.front()) / double(order.depth.size() - 1);
    const std::vector<double>& first = session_.looking.first_looks();
    double most_detail = 0;
    for (const double detail : first) most_detail = std::max(most_detail, detail);
    std::map<FrameId, int> painted_from;
    if (const ProjectResult* result = session_.standpoint.result();
        result && session_.standpoint.stage() == Stage::mend)
        for (const Stroke& stroke : result->strokes)
            if (const auto* frame = std::get_if<FrameId>(&stroke.source); frame && !stroke.is_off)
                ++painted_from[*frame];
    for (int i = 0; i < series.count(); ++i) {
        const auto place = std::size_t(i);
        DepthTick tick;
        if (usual > 0 && i > 0) tick.step = (order.depth[place] - order.depth[place - 1]) / usual;
        if (!looked && most_detail > 0 && place < first.size() && first[place] >= 0)
            tick.share = first[place] / most_detail;
        tick.used = series.frames[place].used;
        if (const auto found = painted_from.find(series.frames[place].id); found != painted_from.end())
            tick.strokes = found->second;
        if (looked && place < looked->whole.share.size()) tick.share = looked->whole.share[place];
        if (looked && place < looked->whole.flags.size())
            for (const FrameFlag& flag : looked->whole.flags[place])
                tick.warning += (tick.warning.isEmpty() ? "" : "; ") + text(flag.reason);
        ticks.push_back(tick);
    }
    line_.set_ticks(std::move(ticks));
    std::vector<int> gaps;
    if (looked)
        for (const FocusGap& gap : looked->whole.gaps) gaps.push_back(gap.after);
    line_.set_gaps(std::move(gaps));
    line_.set_range(series.range.first, series.range.last);
    line_.set_reference(
        session_.document.has_series() ? session_.document.place(session_.products.reference()) : -1);
    line_.set_current(session_.standpoint.place());
    show_drift();
}

void LineFeed::show_drift() {
    std::vector<DriftCurve> curves;
    std::vector<int> ringed;
    double rest = 0;
    const PlanePtr& plane = session_.products.plane();
    if (session_.standpoint.stage() == Stage::align && plane) {
        const SeriesGeometry& geometry = plane->geometry;
        const Drift kind = session_.standpoint.drift();
        auto curve = [&](bool dashed, auto&& value) {
            DriftCurve own;
            own.dashed = dashed;
            for (const FrameGeometry& frame : geometry.frames)
                own.values.push_back(frame.registered ? std::optional<double>(value(frame)) : std::nullopt);
            curves.push_back(std::move(own));
        };
        const cv::Size size = plane->series.size();
        if (kind == Drift::scale) {
            curve(false, [](const FrameGeometry& frame) { return frame.scale(); });
            rest = 1;
        } else if (kind == Drift::shift) {
            curve(false, [&](const FrameGeometry& frame) { return frame.shift_px(size).x; });
            curve(true, [&](const FrameGeometry& frame) { return frame.shift_px(size).y; });
        } else if (kind == Drift::rotation) {
            curve(false, [](const FrameGeometry& frame) { return frame.rotation_deg(); });
        } else if (kind == Drift::brightness) {
            curve(false, [](const FrameGeometry& frame) { return std::log2(frame.gain()); });
        }
        for (int i = 0; i < int(geometry.frames.size()); ++i)
            if (!geometry.frames[std::size_t(i)].warning.empty()) ringed.push_back(i);
    }
    line_.set_drift(std::move(curves), rest, std::move(ringed));
}

void LineFeed::show_path() {
    const bool open = session_.document.has_series();
    const Series& series = session_.document.series();
    const ShootDesk& desk = session_.shoot_desk;
    const Products& products = session_.products;
    const Looked* looked = products.looked();
    const bool under_way =
        desk.run().to_shoot() > 0 && desk.state() != ShootState::live && desk.state() != ShootState::done;
    path_.set_here(session_.standpoint.stage());
    path_.set_waymark(Stage::plan,
                      {under_way ? tr("%1 of %2 shot").arg(desk.run().shot()).arg(desk.run().to_shoot())
                       : open    ? tr("%1 frames").arg(series.count())
                                 : QString(),
                       open && !under_way, !desk.run().troubles().empty()});
    path_.set_waymark(Stage::cull,
                      {open ? tr("%1 of %2").arg(series.chosen().size()).arg(series.count()) : QString(),
                       open && products.is_looked(), looked && !looked->whole.gaps.empty()});
    const PlanePtr& plane = products.plane();
    const bool aligned_now = products.plane_is_current();
    path_.set_waymark(Stage::align,
                      {!plane         ? QString()
                       : !aligned_now ? tr("out of date")
                                      : tr("%1 px").arg(plane->geometry.residual_px(), 0, 'f', 2),
                       aligned_now, plane && !aligned_now});
    const ProjectResult* result = session_.standpoint.result();
    const bool current = session_.merging.is_current();
    path_.set_waymark(Stage::merge, {!result   ? QString()
                                     : current ? text(result->title)
                                               : tr("out of date"),
                                     current, result && !current});
    const bool mended = result && !result->strokes.empty();
    const SnagWalk& walk = session_.snag_walk;
    const QString snags = walk.is_known() ? snags_text(walk.plain_left(), walk.left()) : QString();
    path_.set_waymark(Stage::mend, {!snags.isEmpty() ? snags
                                    : mended         ? strokes_text(result->strokes.size())
                                                     : QString(),
                                    mended || (walk.is_known() && walk.left() == 0), false});
    const bool handed_over = result && is_handed_over(session_.document.project(), *result);
    path_.set_waymark(Stage::finish, {!result              ? QString()
                                      : handed_over        ? tr("handed over")
                                      : result->is_saved() ? tr("changed since")
                                                           : tr("not handed over"),
                                      handed_over, false});
}

void LineFeed::show_threads() {
    const Sounding& sounding = session_.sounding;
    std::vector<std::pair<int, int>> threads;
    if (sounding.is_open())
        for (const auto& [frame, y] : panel_.threads())
            threads.emplace_back(session_.document.place(frame), y);
    const auto sharpest = sounding.is_open() ? sounding.sharpest_frame() : std::nullopt;
    line_.set_threads(std::move(threads), sharpest ? session_.document.place(*sharpest) : -1);
}

}  // namespace moorhaze::desktop
