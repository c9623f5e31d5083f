// What the window shows of the session.
#include <QScrollArea>
#include <QScrollBar>
#include <QStackedWidget>
#include <cmath>

#include "desktop/session/facts.h"
#include "desktop/tray/align_tray.h"
#include "desktop/tray/merge_tray.h"
#include "desktop/tray/plan_tray.h"
#include "desktop/view/depth_line.h"
#include "desktop/view/main_window.h"
#include "desktop/view/path_bar.h"
#include "desktop/view/picture_view.h"
#include "desktop/view/sounding_panel.h"

namespace moorhaze::desktop {

bool MainWindow::shows_result() const {
    return session_.stage() >= Stage::merge && session_.result() != nullptr;
}

FrameView MainWindow::frame_view() const {
    FrameView view{session_.current_frame(), is_lying_aligned(),
                   marks_action_->isChecked() && session_.stage() <= Stage::cull};
    if (session_.stage() == Stage::align && edges_action_->isChecked() &&
        align_tray_->partner() != view.frame)
        view.edges_with = align_tray_->partner();
    return view;
}

bool MainWindow::is_lying_aligned() const {
    return session_.stage() >= Stage::align && session_.geometry().has_value() &&
           !(session_.stage() == Stage::align && as_shot_action_->isChecked());
}

FrameView MainWindow::partner_view() const {
    return {align_tray_->partner(), is_lying_aligned()};
}

bool MainWindow::shows_quick_look() const {
    return session_.stage() == Stage::cull && quick_look_.is_on() && quick_look_.picture();
}

void MainWindow::show_stage() {
    const Stage stage = session_.stage();
    trays_->setCurrentIndex(int(stage));
    // A tray takes the height it needs itself, not that of the tallest.
    for (int i = 0; i < trays_->count(); ++i)
        trays_->widget(i)->setSizePolicy(QSizePolicy::Preferred,
                                         i == int(stage) ? QSizePolicy::Preferred : QSizePolicy::Ignored);
    trays_->adjustSize();
    tray_room_->verticalScrollBar()->setValue(0);
    path_->set_here(stage);
    lines_->setCurrentIndex(stage == Stage::plan && plan_->page() != PlanTray::bring_in ? 1 : 0);
    show_brush();
    show_comparing();
    show_line();
    show_path();
    show_picture();
}

void MainWindow::show_picture() {
    empty_->setVisible(!session_.has_series() && !is_shooting() && !desk_.is_watching());
    if (session_.stage() == Stage::plan && desk_.shows_live()) return show_live();
    if (plane_is_live_) {
        plane_is_live_ = false;
        picture_->set_picture(nullptr, {});
        set_plane(QSize(session_.series().size().width, session_.series().size().height));
        picture_->fit();
    }
    if (!session_.has_series()) return show_caption();
    const FrameView frame = frame_view();
    std::vector<FrameView> wishes{frame};
    if (session_.stage() == Stage::align) wishes.push_back(partner_view());
    if (!shows_result() && frame.edges_with < 0)
        for (const int step : {1, -1, 2, -2})
            wishes.push_back({frame.frame + step, frame.aligned, frame.marked});
    store_.want(wishes);

    const auto own = store_.find(frame);
    const QString frame_label = tr("frame %1").arg(frame.frame + 1);
    if (shows_result()) {
        const auto looked = session_.stage() == Stage::merge ? look_.shown() : nullptr;
        if (looked)
            picture_->set_picture(looked, session_.result()->title);
        else if (mend_.display())
            picture_->set_picture(mend_.display(), session_.result()->title);
        const Result* partner =
            session_.stage() == Stage::merge ? session_.result_with(merge_tray_->compared_with()) : nullptr;
        if (partner && mend_.display_of(partner->id))
            set_other(mend_.display_of(partner->id), partner->title);
        else
            set_other(own, frame_label);
    } else if (const auto growing = session_.stage() == Stage::merge ? look_.growing() : nullptr) {
        picture_->set_picture(growing, tr("depth found so far"));
        set_other(own, frame_label);
    } else if (shows_quick_look()) {
        picture_->set_picture(quick_look_.picture(), tr("quick merge"));
        set_other(own, frame_label);
    } else {
        // Until the wanted frame is ready the one before stays: flipping through does not flash.
        if (own) picture_->set_picture(own, frame_label);
        if (session_.stage() == Stage::align) {
            const FrameView partner = partner_view();
            // While it is on its way the one before stays: what is compared does not flash.
            if (const auto other = store_.find(partner))
                set_other(other, session_.geometry() && partner.frame == session_.geometry()->reference
                                     ? tr("reference frame %1").arg(partner.frame + 1)
                                     : tr("frame %1").arg(partner.frame + 1));
        } else {
            set_other(nullptr, {});
        }
    }
    show_kept();
    show_marks();
    show_trial();
}

void MainWindow::show_trial() {
    // Farther out the part in view would be too large to be quick.
    constexpr double kLeastZoom = 0.5;
    const bool in_merge = session_.stage() == Stage::merge && session_.has_series();
    const bool plain = look_.is_plain();
    trial_.set_view(in_merge && plain && picture_->zoom() >= kLeastZoom ? picture_->seen() : QRect());
    picture_->set_patch(in_merge && plain ? trial_.picture() : nullptr, tr("look-ahead, not merged yet"));
    show_caption();
}

void MainWindow::show_kept() {
    if (session_.stage() != Stage::align || !is_lying_aligned() || session_.geometry()->as_it_lies)
        return picture_->set_kept({}, {}, {});
    const PixelRect kept = session_.kept_area();
    if (kept.empty()) return picture_->set_kept({}, {}, {});
    // From the outer edges of pixels, whose centres lie at whole numbers.
    const cv::Size size = session_.series().size();
    QList<QPolygonF> outlines;
    for (const int frame : session_.series().chosen()) {
        if (!session_.geometry()->frames[std::size_t(frame)].registered) continue;
        QPolygonF outline;
        for (const cv::Point2d& corner : frame_outline(session_.geometry()->frames[std::size_t(frame)], size))
            outline << QPointF(corner.x, corner.y);
        outlines << outline;
    }
    const double lost = 100 - 100.0 * double((kept & PixelRect({}, size)).area()) / size.area();
    picture_->set_kept(QRectF(kept.x - 0.5, kept.y - 0.5, kept.width, kept.height), outlines,
                       lost > 0.005 ? tr("%1 % lost").arg(lost, 0, 'f', 1) : QString());
}

void MainWindow::show_marks() {
    QList<PictureMark> own, others;
    if (session_.stage() == Stage::align && session_.has_series()) {
        const bool aligned = is_lying_aligned();
        auto place = [&](int frame, cv::Point2d at) {
            if (aligned) {
                const cv::Vec3d moved =
                    session_.geometry()->frames[std::size_t(frame)].matrix * cv::Vec3d(at.x, at.y, 1);
                at = {moved[0] / moved[2], moved[1] / moved[2]};
            }
            return QPointF(at.x, at.y);
        };
        auto add = [&](int frame, cv::Point2d at, const QString& label, bool waiting) {
            if (frame == session_.current_frame()) own.append({place(frame, at), label, waiting});
            if (frame == align_tray_->partner()) others.append({place(frame, at), label, waiting});
        };
        const auto& pairs = session_.placing().points;
        for (std::size_t i = 0; i < pairs.size(); ++i) {
            add(pairs[i].one, pairs[i].in_one, QString::number(i + 1), false);
            add(pairs[i].other, pairs[i].in_other, QString::number(i + 1), false);
        }
        if (const auto& half = points_.waiting())
            add(half->frame, half->at, QString::number(pairs.size() + 1), true);
    }
    picture_->set_marks(own);
    twin_->set_marks(others);
}

void MainWindow::show_comparing() {
    const bool setting = points_action_->isChecked() && session_.stage() == Stage::align;
    picture_->set_point_setting(setting);
    twin_->set_point_setting(setting);
    align_tray_->show_comparing({curtain_action_->isChecked(), blink_action_->isChecked(),
                                 twin_action_->isChecked(), edges_action_->isChecked(),
                                 as_shot_action_->isChecked(), points_action_->isChecked()});
}

void MainWindow::show_line() {
    std::vector<DepthTick> ticks;
    const SeriesProfile& profile = session_.profile();
    const OrderReport& order = session_.order();
    const bool has_places = session_.is_profiled() && !order.needs_repair() &&
                            int(order.depth.size()) == session_.series().count();
    double usual = 0;
    if (has_places && order.depth.size() > 1)
        usual = (order.depth.back() - order.depth.front()) / double(order.depth.size() - 1);
    double most_detail = 0;
    for (const double detail : session_.first_looks()) most_detail = std::max(most_detail, detail);
    for (int i = 0; i < session_.series().count(); ++i) {
        DepthTick tick;
        if (usual > 0 && i > 0)
            tick.step = (order.depth[std::size_t(i)] - order.depth[std::size_t(i) - 1]) / usual;
        if (!session_.is_profiled() && most_detail > 0)
            if (const double detail = session_.first_looks()[std::size_t(i)]; detail >= 0)
                tick.share = detail / most_detail;
        tick.used = session_.series().frames[std::size_t(i)].used;
        if (session_.is_profiled()) {
            tick.share = profile.share[std::size_t(i)];
            for (const FrameFlag& flag : profile.flags[std::size_t(i)])
                tick.warning += (tick.warning.isEmpty() ? "" : "; ") + QString::fromStdString(flag.reason);
        }
        ticks.push_back(tick);
    }
    line_->set_ticks(std::move(ticks));
    std::vector<int> gaps;
    for (const FocusGap& gap : profile.gaps) gaps.push_back(gap.after);
    line_->set_gaps(std::move(gaps));
    line_->set_range(session_.series().range.first, session_.series().range.last);
    line_->set_reference(session_.has_series() ? session_.reference() : -1);
    line_->set_current(session_.current_frame());
    show_drift();
}

void MainWindow::show_drift() {
    std::vector<DriftCurve> curves;
    std::vector<int> ringed;
    double rest = 0;
    const auto& geometry = session_.geometry();
    if (session_.stage() == Stage::align && geometry &&
        int(geometry->frames.size()) == session_.series().count()) {
        const Drift kind = align_tray_->drift();
        auto curve = [&](bool dashed, auto&& value) {
            DriftCurve own;
            own.dashed = dashed;
            for (const FrameGeometry& frame : geometry->frames)
                own.values.push_back(frame.registered ? std::optional<double>(value(frame)) : std::nullopt);
            curves.push_back(std::move(own));
        };
        const cv::Size size = session_.series().size();
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
        for (int i = 0; i < int(geometry->frames.size()); ++i)
            if (!geometry->frames[std::size_t(i)].warning.empty()) ringed.push_back(i);
    }
    line_->set_drift(std::move(curves), rest, std::move(ringed));
}

void MainWindow::show_path() {
    const bool open = session_.has_series();
    const bool under_way =
        desk_.to_shoot() > 0 && desk_.state() != ShootState::live && desk_.state() != ShootState::done;
    path_->set_waymark(Stage::plan, {under_way ? tr("%1 of %2 shot").arg(desk_.shot()).arg(desk_.to_shoot())
                                     : open    ? tr("%1 frames").arg(session_.series().count())
                                               : QString(),
                                     open && !under_way, !desk_.troubles().empty()});
    path_->set_waymark(
        Stage::cull,
        {open ? tr("%1 of %2").arg(session_.series().chosen().size()).arg(session_.series().count())
              : QString(),
         open && session_.is_profiled(), !session_.profile().gaps.empty()});
    const bool aligned = session_.geometry().has_value(), aligned_now = session_.geometry_is_current();
    path_->set_waymark(Stage::align,
                       {!aligned       ? QString()
                        : !aligned_now ? tr("out of date")
                                       : tr("%1 px").arg(session_.geometry()->residual_px(), 0, 'f', 2),
                        aligned_now, aligned && !aligned_now});
    const Result* result = session_.result();
    path_->set_waymark(Stage::merge,
                       {!result                        ? QString()
                        : session_.result_is_current() ? result->title
                                                       : tr("out of date"),
                        result && session_.result_is_current(), result && !session_.result_is_current()});
    path_->set_waymark(
        Stage::mend,
        {!result || result->strokes.empty() ? QString() : strokes_text(int(result->strokes.size())),
         result && !result->strokes.empty(), false});
    path_->set_waymark(Stage::deliver, {!result         ? QString()
                                        : result->saved ? tr("saved")
                                                        : tr("not saved"),
                                        result && result->saved, false});
}

void MainWindow::show_sounding() {
    const bool open = sounding_.is_open();
    panel_->place_in(picture_->rect());
    panel_->setVisible(open);
    panel_->raise();
    for (QAction* action : digit_actions_) action->setEnabled(open);
    std::vector<std::pair<int, int>> threads;
    if (open)
        for (const auto& [frame, y] : panel_->threads()) threads.emplace_back(frame, y);
    line_->set_threads(std::move(threads), open ? sounding_.sharpest_frame() : -1);
    picture_->set_sounding_place(open ? std::optional(sounding_.place()) : std::nullopt);
    if (open && source_follows_sounding_ && session_.stage() == Stage::mend &&
        sounding_.sharpest_frame() >= 0) {
        mend_.set_source_frame(sounding_.sharpest_frame());
        session_.set_current_frame(sounding_.sharpest_frame());
    }
}

void MainWindow::show_brush() {
    const bool on = session_.stage() == Stage::mend && session_.result();
    picture_->set_brush(on ? std::optional(mend_.brush().radius_px) : std::nullopt);
}

void MainWindow::show_caption() {
    if (plane_is_live_)
        return picture_->set_caption(tr("live view · plane of focus at %1 mm · f/%2")
                                         .arg(desk_.position_mm(), 0, 'f', 2)
                                         .arg(desk_.setup().f_number));
    if (!session_.has_series()) return picture_->set_caption({});
    const QString zoom = picture_->is_fit() ? tr("fit %1 %").arg(100 * picture_->zoom(), 0, 'f', 0)
                                            : tr("%1 %").arg(100 * picture_->zoom(), 0, 'f', 0);
    QString text;
    if (shows_result()) {
        text = session_.result()->title;
        if (look_.shown() && look_.look() == LookAt::made_by)
            text =
                tr("grey: depth map · violet: pyramid · blue stripes: backdrop · amber squares: moved, one "
                   "state");
        const auto& merge = *session_.result()->merge;
        const cv::Point at(int(std::lround(hovered_.x())) - merge.area.x,
                           int(std::lround(hovered_.y())) - merge.area.y);
        if (is_hovering_ && cv::Rect({}, merge.area.size()).contains(at))
            text = merge.source(at) > 0 ? tr("%1, %2 from frame %3, %4")
                                              .arg(std::lround(hovered_.x()))
                                              .arg(std::lround(hovered_.y()))
                                              .arg(merge.source(at))
                                              .arg(QLatin1String(words_for(MadeBy(merge.made_by(at)))))
                                        : tr("%1, %2 covered by no frame")
                                              .arg(std::lround(hovered_.x()))
                                              .arg(std::lround(hovered_.y()));
    } else {
        text = shows_quick_look() ? tr("quick merge of %1 frames, roughly aligned, screen size")
                                        .arg(session_.series().chosen().size())
                                  : frame_caption(session_.series(), session_.current_frame());
        if (!store_.find(frame_view())) text += tr(" · loading");
    }
    if (session_.stage() == Stage::merge && trial_.is_on()) {
        if (const QString state = trial_.state(); !state.isEmpty())
            text += QStringLiteral(" · ") + state;
        else if (session_.result() && !session_.result_is_current() && !trial_.picture())
            text += tr(" · settings changed: at 100 % (Ctrl+1) they are tried here");
    }
    picture_->set_caption(QStringLiteral("%1 · %2").arg(text, zoom));
}

void MainWindow::set_quick_look(bool on) {
    quick_action_->setChecked(on);
}

void MainWindow::set_keeping(bool on) {
    keep_action_->setChecked(on);
}

void MainWindow::set_sharp_marks(bool on) {
    marks_action_->setChecked(on);
}

bool MainWindow::is_settled() {
    if (session_.jobs().busy()) return false;
    const ShootState shooting = desk_.state();
    if (shooting == ShootState::connecting || shooting == ShootState::running ||
        shooting == ShootState::pausing)
        return false;
    if (plane_is_live_) return desk_.live_picture() != nullptr && !desk_.is_driving();
    if (desk_.is_busy() || desk_.state() == ShootState::live) return false;
    if (!session_.has_series()) return true;
    if (shows_result() ? !mend_.is_settled() : !store_.find(frame_view())) return false;
    if (picture_->curtain() && !store_.find(frame_view())) return false;
    if (session_.stage() == Stage::align && !store_.find(partner_view())) return false;
    if (!points_.is_settled() || !look_.is_settled()) return false;
    if (!quick_look_.is_settled() || !trial_.is_settled()) return false;
    for (const auto& patch : sounding_.patches())
        if (patch.sharpness < 0) return false;
    return true;
}

}  // namespace moorhaze::desktop
