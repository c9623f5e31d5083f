// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/view/picture_area.h"

#include <QCursor>
#include <QEvent>
#include <QHBoxLayout>
#include <QTimer>
#include <cmath>

#include "desktop/session/document/facts.h"
#include "desktop/session/work/text.h"
#include "desktop/view/finish_hands.h"
#include "desktop/view/picture_caption.h"
#include "desktop/view/picture_view.h"
#include "desktop/view/sounding_panel.h"
#include "desktop/view/theme.h"

namespace moorhaze::desktop {
namespace {

constexpr int kBlinkMilliseconds = 450;
/// Farther out the part in view would be too large to be previewed quickly.
constexpr double kLeastPreviewZoom = 0.5;

QPointF mapped_place(const cv::Matx33d& matrix, cv::Point2d at) {
    const cv::Vec3d there = matrix * cv::Vec3d(at.x, at.y, 1);
    return {there[0] / there[2], there[1] / there[2]};
}

}  // namespace

PictureArea::PictureArea(Session& session, QWidget* parent)
    : QWidget(parent),
      session_(session),
      picture_(new PictureView(this)),
      twin_(new PictureView(this)),
      twin_edge_(new QWidget(this)),
      panel_(new SoundingPanel(session_.sounding, picture_)),
      hands_(new FinishHands(session_, *picture_, this)),
      blink_(new QTimer(this)) {
    auto* columns = new QHBoxLayout(this);
    columns->setContentsMargins(0, 0, 0, 0);
    columns->setSpacing(0);
    twin_->setAccessibleName(tr("The other picture"));
    twin_->hide();
    twin_edge_->setAttribute(Qt::WA_StyledBackground);
    twin_edge_->setStyleSheet(QStringLiteral("background: %1;").arg(Theme::current().ground.name()));
    twin_edge_->setFixedWidth(2);
    twin_edge_->hide();
    columns->addWidget(picture_, 1);
    columns->addWidget(twin_edge_);
    columns->addWidget(twin_, 1);
    picture_->installEventFilter(this);
    blink_->setInterval(kBlinkMilliseconds);
    connect(blink_, &QTimer::timeout, picture_, [this] { picture_->set_flipped(!picture_->is_flipped()); });
    connect_views();

    connect(&session_.document.settling(), &Settling::settled, this, &PictureArea::follow);
    connect(&session_.match_points, &MatchPoints::changed, this, &PictureArea::show_points);
    connect(&session_.store, &PictureStore::ready, this, &PictureArea::show_all);
    connect(&session_.store, &PictureStore::forgot, this, &PictureArea::show_all);
    connect(&session_.mended_display, &MendedDisplay::changed, this, &PictureArea::show_all);
    connect(&session_.mended_display, &MendedDisplay::area_changed, picture_, &PictureView::refresh);
    connect(&session_.brushwork, &Brushwork::guide_changed, this, [this] {
        const bool wide = session_.standpoint.brush().tool != MendTool::fade;
        picture_->set_guide(session_.brushwork.guide(), wide ? session_.standpoint.brush().radius_px : 0);
    });
    connect(&session_.quick_look, &QuickLook::changed, this, &PictureArea::show_all);
    connect(&session_.result_look, &ResultLook::changed, this, &PictureArea::show_all);
    connect(&session_.result_look, &ResultLook::grew, this, &PictureArea::show_all);
    connect(&session_.merge_preview, &MergePreview::changed, this, &PictureArea::show_preview);
    connect(&session_.finish_look, &FinishLook::changed, this, &PictureArea::show_all);
    connect(&session_.views_look, &ViewsLook::changed, this, &PictureArea::show_all);
    connect(&session_.sounding, &Sounding::changed, this, &PictureArea::show_sounding);
    connect(&session_.folder_watch, &FolderWatch::changed, this, &PictureArea::show_all);
    connect(&session_.snag_walk, &SnagWalk::changed, this, &PictureArea::show_spot);
    connect(&session_.snag_walk, &SnagWalk::visited, picture_, &PictureView::look_at);
    connect(&session_.shoot_desk, &ShootDesk::live_changed, this, &PictureArea::show_all);
    connect(&session_.shoot_desk, &ShootDesk::state_changed, this, &PictureArea::show_all);
}

void PictureArea::follow(const Settled& what) {
    using Aspect = Standpoint::Aspect;
    if (what.document.series) {
        picture_->set_picture(nullptr, {});
        picture_->set_other(nullptr, {});
        twin_->set_picture(nullptr, {});
        plane_ = {};
    }
    if (what.has_any_of(Aspect::comparing, Aspect::stage)) show_comparing();
    if (what.has_aspect(Aspect::stage) && !picture_->underMouse()) hovered_.reset();
    show_all();
    // The frame's edges are what is worked on: they are brought into sight.
    const bool frames = session_.standpoint.stage() == Stage::finish &&
                        session_.standpoint.finish_page() == FinishPage::frame &&
                        what.has_any_of(Aspect::stage, Aspect::finish_page);
    if (frames && !picture_->seen().contains(to_qrect(session_.finishing.kept()))) picture_->fit();
}

void PictureArea::connect_views() {
    connect(picture_, &PictureView::pointed, this,
            [this](QPointF place) { emit pointed(in_reference(place)); });
    connect(picture_, &PictureView::sounded, this,
            [this](QPointF place) { emit sounded(in_reference(place)); });
    connect(picture_, &PictureView::line_drawn, this, &PictureArea::line_drawn);
    connect(picture_, &PictureView::hovered, this, [this](QPointF place) {
        hovered_ = place;
        show_caption();
    });
    connect(picture_, &PictureView::left, this, [this] {
        hovered_.reset();
        show_caption();
    });
    connect(picture_, &PictureView::zoom_changed, this, [this] {
        // Another place may lie under the pointer now.
        if (hovered_ && picture_->underMouse())
            hovered_ = picture_->to_plane(picture_->mapFromGlobal(QCursor::pos()));
        twin_->set_view(picture_->zoom(), picture_->centre());
        if (!picture_->is_fit()) session_.standpoint.set_close_zoom(picture_->zoom());
        show_preview();
    });
    connect(twin_, &PictureView::zoom_changed, this, [this] {
        if (twin_->is_fit()) return;  // it was resized; nobody moved it
        picture_->set_view(twin_->zoom(), twin_->centre());
        session_.standpoint.set_close_zoom(picture_->zoom());
        show_preview();
    });
    auto partner = [this] { return partner_of(session_.document, session_.standpoint, session_.products); };
    connect(picture_, &PictureView::point_set, this, [this, partner](QPointF place) {
        if (shown_.frame && partner()) emit point_set(*shown_.frame, *partner(), place);
    });
    connect(twin_, &PictureView::point_set, this, [this, partner](QPointF place) {
        if (shown_.frame && partner()) emit point_set(*partner(), *shown_.frame, place);
    });
    for (PictureView* view : {picture_, twin_})
        connect(view, &PictureView::frames_stepped, &session_.pointing, &Pointing::step);
    connect(picture_, &PictureView::stroke_began, this, [this](QPointF place, double pressure) {
        if (paints_sharpening())
            session_.finish_strokes.begin_sharpening(
                place, session_.standpoint.finish_hand() == FinishHand::unsharpen);
        else
            session_.brushwork.begin_stroke(place, pressure);
    });
    connect(picture_, &PictureView::stroke_moved, this, [this](QPointF place, double pressure) {
        if (paints_sharpening())
            session_.finish_strokes.continue_sharpening(place);
        else
            session_.brushwork.continue_stroke(place, pressure);
    });
    connect(picture_, &PictureView::eraser_used, this, [this](bool on) {
        if (paints_sharpening())
            return session_.standpoint.set_finish_hand(on ? FinishHand::unsharpen : FinishHand::sharpen);
        // Turned back, the pen does what it did before.
        const MendTool tool = session_.standpoint.brush().tool;
        if (on && tool != MendTool::wipe_back) tool_before_eraser_ = tool;
        session_.standpoint.set_tool(on ? MendTool::wipe_back : tool_before_eraser_);
    });
    connect(picture_, &PictureView::brush_shaped, this, [this](double right, double up) {
        constexpr double kDoublesIn = 120, kFullIn = 200;  // logical pixels
        Brush brush = session_.standpoint.brush();
        brush.radius_px = std::clamp(brush.radius_px * std::exp2(right / kDoublesIn), 1.0, 1000.0);
        brush.softness = std::clamp(brush.softness + up / kFullIn, 0.0, 1.0);
        session_.standpoint.set_brush(brush);
    });
    connect(picture_, &PictureView::stroke_ended, this, [this] {
        session_.finish_strokes.end_sharpening();
        session_.brushwork.end_stroke();
    });
}

bool PictureArea::paints_sharpening() const {
    const FinishHand hand = session_.standpoint.finish_hand();
    return session_.standpoint.stage() == Stage::finish && session_.standpoint.result() &&
           (hand == FinishHand::sharpen || hand == FinishHand::unsharpen);
}

void PictureArea::set_empty_state(QWidget* box) {
    empty_ = box;
    empty_->setParent(picture_);
    empty_->installEventFilter(this);
    show_all();
}

// ---------------------------------------------------------------------------------------- what is shown

std::shared_ptr<const DisplayPicture> PictureArea::ready(const ShownPicture& picture) const {
    if (is<LivePicture>(picture)) return session_.shoot_desk.live_picture();
    if (is<GrowthPicture>(picture)) return session_.result_look.growing();
    if (is<QuickPicture>(picture)) return session_.quick_look.picture();
    if (is<ViewsPicture>(picture)) return session_.views_look.picture();
    if (const auto* frame = std::get_if<FrameView>(&picture)) return session_.store.find(*frame);
    if (is<FinishedPicture>(picture)) {
        // Until it is made what was mended is shown, where that lies in the same place.
        const auto made = session_.finish_look.picture();
        return made || session_.finish_look.is_turned() ? made : session_.mended_display.picture();
    }
    if (is<UnfinishedPicture>(picture))
        return session_.finish_look.is_turned() ? session_.finish_look.before()
                                                : session_.mended_display.picture();
    if (const auto* own = std::get_if<ResultPicture>(&picture)) {
        const ProjectResult* shown = session_.standpoint.result();
        if (shown && shown->id == own->result) {
            const auto looked =
                session_.standpoint.stage() == Stage::merge || session_.standpoint.stage() == Stage::mend
                    ? session_.result_look.shown()
                    : nullptr;
            return looked ? looked : session_.mended_display.picture();
        }
        if (const ProjectResult* other = find_result(session_.document.project(), own->result))
            return session_.store.find(ResultView{session_.document.id(), other->id, other->strokes});
    }
    return nullptr;
}

/// Another frame's picture must not stand for one that cannot be read.
bool PictureArea::cannot_be_made(const ShownPicture& picture) const {
    const auto* frame = std::get_if<FrameView>(&picture);
    return frame && session_.store.is_broken(*frame);
}

QString PictureArea::label_of(const ShownPicture& picture) const {
    if (is<LivePicture>(picture)) return tr("live view");
    if (is<GrowthPicture>(picture)) return tr("depth found so far");
    if (is<QuickPicture>(picture)) return tr("quick merge");
    if (is<ViewsPicture>(picture)) return tr("all views");
    const auto result_label = [&](ResultId id) {
        const ProjectResult* result = find_result(session_.document.project(), id);
        return result ? text(result->title) : QString();
    };
    if (const auto* own = std::get_if<ResultPicture>(&picture)) return result_label(own->result);
    if (const auto* own = std::get_if<FinishedPicture>(&picture))
        return tr("%1, finished").arg(result_label(own->result));
    if (const auto* own = std::get_if<UnfinishedPicture>(&picture))
        return tr("%1, before").arg(result_label(own->result));
    if (const auto* frame = std::get_if<FrameView>(&picture)) {
        const int number = session_.document.place(frame->frame) + 1;
        const bool reference =
            session_.standpoint.stage() == Stage::align && shown_.plane && picture == shown_.other &&
            shown_.plane->series.frames[std::size_t(shown_.plane->geometry.reference)].id == frame->frame;
        return reference ? tr("reference frame %1").arg(number) : tr("frame %1").arg(number);
    }
    return {};
}

void PictureArea::show_all() {
    const ShootDesk& desk = session_.shoot_desk;
    shown_ = shown_of(session_.document, session_.standpoint, session_.products,
                      {desk.shows_live(), session_.result_look.growing() != nullptr,
                       session_.quick_look.picture() != nullptr, session_.views_look.look() != nullptr});
    const bool shooting = session_.standpoint.stage() == Stage::plan && desk.state() != ShootState::off;
    if (empty_)
        empty_->setVisible(!session_.document.has_series() && !shooting && !session_.folder_watch.is_on());
    session_.store.want(wishes_of(shown_, session_.document));
    show_plane();
    show_main();
    show_other();
    show_kept();
    show_points();
    show_dust();
    show_preview();
    show_spot();
    const bool brush =
        (session_.standpoint.stage() == Stage::mend && session_.standpoint.result()) || paints_sharpening();
    picture_->set_brush(brush ? std::optional(session_.standpoint.brush().radius_px) : std::nullopt);
    picture_->set_line_drawing(session_.standpoint.keeping());
    picture_->set_handling(hands_->is_needed());
}

void PictureArea::show_plane() {
    const cv::Size size = session_.document.series().size();
    const auto live = is<LivePicture>(shown_.main) ? session_.shoot_desk.live_picture() : nullptr;
    const TurntableLook* views = is<ViewsPicture>(shown_.main) ? session_.views_look.look() : nullptr;
    const QSize plane = live    ? live->size()
                        : views ? QSize(views->size.width, views->size.height)
                                : QSize(size.width, size.height);
    if (plane == plane_) return;
    plane_ = plane;
    picture_->set_picture(nullptr, {});
    twin_->set_plane(plane);
    picture_->set_plane(plane);
    picture_->fit();
}

void PictureArea::show_main() {
    // Until what is wanted is ready the one before stays: flipping through does not flash.
    if (const auto picture = ready(shown_.main))
        picture_->set_picture(picture, label_of(shown_.main));
    else if (is<std::monostate>(shown_.main) || cannot_be_made(shown_.main))
        picture_->set_picture(nullptr, {});
}

void PictureArea::show_other() {
    const auto other = ready(shown_.other);
    // In Align what is compared does not flash either.
    if (!other && session_.standpoint.stage() == Stage::align && is<FrameView>(shown_.other)) return;
    const QString label = label_of(shown_.other);
    twin_->set_picture(other, label);
    twin_->set_caption(label);
    picture_->set_other(other, label);
}

void PictureArea::show_kept() {
    if (session_.standpoint.stage() == Stage::finish) return show_crop();
    const PlanePtr& plane = session_.products.plane();
    if (session_.standpoint.stage() != Stage::align || !shown_.plane || shown_.plane != plane ||
        plane->geometry.as_it_lies)
        return picture_->set_kept({}, {}, {});
    const PixelRect kept = session_.products.kept_area();
    if (kept.empty()) return picture_->set_kept({}, {}, {});
    const cv::Size size = session_.document.series().size();
    QList<QPolygonF> outlines;
    for (const int frame : session_.document.series().chosen()) {
        const FrameGeometry& own = plane->geometry.frames[std::size_t(frame)];
        if (!own.registered) continue;
        QPolygonF outline;
        for (const cv::Point2d& corner : frame_outline(own, size)) outline << QPointF(corner.x, corner.y);
        outlines << outline;
    }
    const double lost = 100 - 100.0 * double((kept & PixelRect({}, size)).area()) / size.area();
    // From the outer edges of pixels, whose centres lie at whole numbers.
    picture_->set_kept(QRectF(kept.x - 0.5, kept.y - 0.5, kept.width, kept.height), outlines,
                       lost > 0.005 ? tr("%1 % lost").arg(lost, 0, 'f', 1) : QString());
}

void PictureArea::show_crop() {
    if (is<ViewsPicture>(shown_.main)) {
        const PixelRect crop = session_.views_look.crop();
        return picture_->set_kept(QRectF(crop.x - 0.5, crop.y - 0.5, crop.width, crop.height), {},
                                  tr("%1 x %2 px").arg(crop.width).arg(crop.height),
                                  PictureScene::Kept::gripped_crop);
    }
    const Finish& finish = session_.finishing.finish();
    const bool on_frame = session_.standpoint.finish_page() == FinishPage::frame;
    const PixelRect kept = session_.finishing.kept();
    if (kept.empty() || finish.framing.is_off ||
        (!finish.framing.crop && finish.framing.turn_deg == 0 && !on_frame))
        return picture_->set_kept({}, {}, {});
    picture_->set_kept(QRectF(kept.x - 0.5, kept.y - 0.5, kept.width, kept.height), {},
                       on_frame ? tr("%1 x %2 px").arg(kept.width).arg(kept.height) : QString(),
                       on_frame ? PictureScene::Kept::gripped_crop : PictureScene::Kept::crop);
}

void PictureArea::show_finish() {
    const bool in_finish = is<FinishedPicture>(shown_.main);
    session_.finish_look.set_view(in_finish ? picture_->seen() : QRect(), picture_->zoom());
    if (in_finish) picture_->set_patch(session_.finish_look.patch(), {}, false);
}

QPointF PictureArea::in_reference(QPointF place) const {
    return is<FinishedPicture>(shown_.main) ? session_.finishing.to_reference(place) : place;
}

void PictureArea::show_points() {
    QList<PictureMark> own, others;
    const auto partner = partner_of(session_.document, session_.standpoint, session_.products);
    if (session_.standpoint.stage() == Stage::align && shown_.frame) {
        auto place = [&](FrameId frame, cv::Point2d at) {
            const auto index = shown_.plane ? index_of(shown_.plane->series, frame) : std::nullopt;
            return index ? mapped_place(shown_.plane->geometry.frames[std::size_t(*index)].matrix, at)
                         : QPointF(at.x, at.y);
        };
        auto add = [&](FrameId frame, cv::Point2d at, const QString& label, bool waiting) {
            if (frame == *shown_.frame) own.append({place(frame, at), label, waiting});
            if (frame == partner) others.append({place(frame, at), label, waiting});
        };
        const auto& pairs = session_.document.project().placing.points;
        for (std::size_t i = 0; i < pairs.size(); ++i) {
            add(pairs[i].one, pairs[i].in_one, QString::number(i + 1), false);
            add(pairs[i].other, pairs[i].in_other, QString::number(i + 1), false);
        }
        if (const auto& half = session_.match_points.waiting())
            add(half->frame, half->at, QString::number(pairs.size() + 1), true);
    }
    picture_->set_marks(own);
    twin_->set_marks(others);
}

/// Where dust is taken off the frame shown; what lies on a frame as shot can be seen there.
void PictureArea::show_dust() {
    QList<PictureRing> rings;
    const PlanePtr& plane = session_.products.plane();
    if (session_.standpoint.stage() == Stage::align && shown_.frame && plane)
        if (const auto index = index_of(plane->series, *shown_.frame)) {
            const FrameGeometry& own = plane->geometry.frames[std::size_t(*index)];
            const bool as_shot = session_.standpoint.comparing().as_shot;
            for (const DustSpot& spot : plane->geometry.dust)
                rings.append({as_shot ? QPointF(spot.at.x, spot.at.y) : mapped_place(own.matrix, spot.at),
                              spot.radius_px});
        }
    picture_->set_rings(rings);
}

void PictureArea::show_comparing() {
    const Comparing& now = session_.standpoint.comparing();
    picture_->set_curtain(now.curtain);
    twin_->setVisible(now.twin);
    twin_edge_->setVisible(now.twin);
    if (now.blink && !blink_->isActive()) blink_->start();
    if (!now.blink && blink_->isActive()) {
        blink_->stop();
        picture_->set_flipped(false);
    }
    const bool setting = now.points && session_.standpoint.stage() == Stage::align;
    picture_->set_point_setting(setting);
    twin_->set_point_setting(setting);
}

void PictureArea::show_preview() {
    const bool in_merge = session_.standpoint.stage() == Stage::merge && session_.document.has_series() &&
                          session_.result_look.is_plain();
    session_.merge_preview.set_view(in_merge && picture_->zoom() >= kLeastPreviewZoom ? picture_->seen()
                                                                                      : QRect());
    if (!is<FinishedPicture>(shown_.main))
        picture_->set_patch(in_merge ? session_.merge_preview.picture() : nullptr,
                            tr("look-ahead, not merged yet"));
    show_finish();
    show_caption();
}

// --------------------------------------------------------------------------------------------- sounding

void PictureArea::show_spot() {
    const SnagWalk& walk = session_.snag_walk;
    if (session_.standpoint.stage() != Stage::mend || !walk.current()) return picture_->set_spot({}, {});
    const WalkedSnag& own = walk.snags()[std::size_t(*walk.current())];
    const PixelRect& area = own.snag.area;
    const QString state = own.painted ? tr(", painted") : own.ignored ? tr(", ignored") : QString();
    picture_->set_spot(QRectF(area.x - 0.5, area.y - 0.5, area.width, area.height),
                       tr("%1: %2%3").arg(*walk.current() + 1).arg(snag_name(own.snag.kind), state));
}

int PictureArea::patch_px() const {
    return int(SoundingPanel::patch_side(picture_->height()) * picture_->devicePixelRatioF());
}

void PictureArea::show_sounding() {
    const Sounding& sounding = session_.sounding;
    const QPointF place = is<FinishedPicture>(shown_.main)
                              ? session_.finishing.to_turned_picture(sounding.place())
                              : sounding.place();
    panel_->place_in(picture_->rect(), picture_->to_widget(place));
    panel_->setVisible(sounding.is_open());
    panel_->raise();
    picture_->set_sounding_place(sounding.is_open() ? std::optional(place) : std::nullopt);
}

cv::Point2d PictureArea::in_frame(FrameId frame, QPointF place) const {
    const auto index = shown_.plane ? index_of(shown_.plane->series, frame) : std::nullopt;
    if (!index) return {place.x(), place.y()};
    const QPointF own =
        mapped_place(shown_.plane->geometry.frames[std::size_t(*index)].matrix.inv(), {place.x(), place.y()});
    return {own.x(), own.y()};
}

bool PictureArea::eventFilter(QObject* watched, QEvent* event) {
    if (event->type() == QEvent::Resize && (watched == picture_ || watched == empty_)) {
        if (empty_)
            empty_->move((picture_->width() - empty_->width()) / 2,
                         (picture_->height() - empty_->height()) / 2);
        if (watched == picture_ && session_.sounding.is_open()) show_sounding();
    }
    return QWidget::eventFilter(watched, event);
}

// ---------------------------------------------------------------------------------------------- caption

void PictureArea::show_caption() {
    const auto finished =
        is<FinishedPicture>(shown_.main) && hovered_ ? session_.finish_look.at(*hovered_) : std::nullopt;
    emit tone_pointed(finished ? std::optional(finished->tone) : std::nullopt);
    picture_->set_caption(caption_of(session_, shown_, *picture_, hovered_, finished));
}

bool PictureArea::is_settled() const {
    if (is<FinishedPicture>(shown_.main) && !session_.finish_look.is_settled()) return false;
    if (is<std::monostate>(shown_.main)) return true;
    if (is<LivePicture>(shown_.main)) return session_.shoot_desk.live_picture() != nullptr;
    if (is<ViewsPicture>(shown_.main) && !session_.views_look.is_settled()) return false;
    if (!ready(shown_.main) && !cannot_be_made(shown_.main)) return false;
    if (session_.standpoint.comparing().curtain || session_.standpoint.stage() == Stage::align ||
        session_.standpoint.compared_result())
        if (!is<std::monostate>(shown_.other) && !ready(shown_.other)) return false;
    return true;
}

}  // namespace moorhaze::desktop
