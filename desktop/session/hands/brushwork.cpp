// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/hands/brushwork.h"

#include <QLineF>

#include <algorithm>
#include <cmath>

#include "core/mend/mended.h"
#include "desktop/session/document/facts.h"
#include "desktop/session/document/mended_result.h"
#include "desktop/session/work/text.h"

namespace moorhaze::desktop {
namespace {

/// A piece that is rendered and put on the screen at once: so large that the interface does not notice it.
constexpr int kPiece = 1024;

/// The part of a region that is rendered next: all of it where that is small.
QRect next_piece(const QRegion& region) {
    const QRect all = region.boundingRect();
    if (double(all.width()) * all.height() <= double(kPiece) * kPiece) return all;
    const QPoint at = region.begin()->topLeft();
    const QRect cell(kPiece * int(std::floor(double(at.x()) / kPiece)),
                     kPiece * int(std::floor(double(at.y()) / kPiece)), kPiece, kPiece);
    return (region & cell).boundingRect();
}

}  // namespace

Brushwork::Brushwork(SessionBase& base, PictureStore& store, QObject* parent)
    : QObject(parent), base_(base), store_(store) {
    connect(&base_.standpoint, &Standpoint::changed, this, [this](Standpoint::Aspect aspect) {
        if (aspect == Standpoint::Aspect::result) show_result();
        if (aspect == Standpoint::Aspect::source && base_.standpoint.source())
            store_.prepare(*base_.standpoint.source());
    });
    connect(&base_.products, &Products::changed, this, [this](Products::Kind kind) {
        if (kind == Products::Kind::merge && !display_) show_result();
    });
    connect(&pieces_, &LatestWish::idle, this, &Brushwork::next);
    connect(&base_.document, &Document::changed, this, [this](const Changes& changes) {
        if (changes.series) show_result();
        if (shown_ && std::count(changes.mended.begin(), changes.mended.end(), *shown_)) follow_strokes();
    });
}

SharedList<Stroke> Brushwork::strokes() const {
    const ProjectResult* result = shown_ ? find_result(base_.document.project(), *shown_) : nullptr;
    const SharedList<Stroke> done = result ? result->strokes : SharedList<Stroke>();
    return live_ ? done.appended(*live_) : done;
}

QString Brushwork::why_not() const {
    if (const QString why = why_not_shown(); !why.isEmpty()) return why;
    const MendTool tool = base_.standpoint.brush().tool;
    if (tool == MendTool::wipe_back || tool == MendTool::heal) return {};
    if (tool == MendTool::copy)
        return copied_place_ || copied_from_ ? QString()
                                             : tr("Point at the place to copy from and press J first.");
    return why_not_source();
}

QString Brushwork::why_not_shown() const {
    const ProjectResult* result = base_.standpoint.result();
    if (!result) return tr("There is nothing to draw on yet: merge first (Ctrl+Return).");
    if (!base_.products.merge(result->id)) return why_no_picture(base_);
    if (!display_ || shown_ != result->id) return tr("The picture is still being prepared.");
    if (making_.is_busy()) return tr("The stroke before is still being made.");
    return {};
}

QString Brushwork::why_not_source() const {
    if (const auto result_source = base_.standpoint.source_result()) return why_not_from(*result_source);
    const auto source = base_.standpoint.source();
    if (!source)
        return tr("Pick a frame to draw in from first: right-click the place and choose in the sounding.");
    const auto place = index_of(product_.plane->series, *source);
    const int number = base_.document.place(*source) + 1;
    if (!place)
        return tr("Frame %1 came after this merge was made, so it is not laid over it. Merge again to draw "
                  "in from it, or pick another.")
            .arg(number);
    if (!product_.plane->geometry.frames[std::size_t(*place)].registered)
        return tr("Frame %1 is not aligned, so it cannot be drawn in. Pick another.").arg(number);
    return {};
}

QString Brushwork::why_not_from(ResultId source) const {
    const ProjectResult* result = find_result(base_.document.project(), source);
    const MergeProduct* product = base_.products.merge(source);
    if (!result || !product) return tr("The result to draw in from is not there. Pick another source.");
    if (source == shown_) return tr("This is the result itself: pick another source, or wipe back (E).");
    if (between_planes(product->plane->series, product->plane->geometry, product_.plane->series,
                       product_.plane->geometry))
        return {};
    return tr("%1 was laid over a frame that is not aligned here, so it cannot be drawn in. Pick another.")
        .arg(text(result->title));
}

void Brushwork::set_stroke_off(int stroke, bool off) {
    change_stroke(off ? tr("switch a stroke off") : tr("switch a stroke on"), stroke,
                  [off](Stroke& own) { own.is_off = off; });
}

void Brushwork::paint_stroke_as_brush(int stroke) {
    const Brush& brush = base_.standpoint.brush();
    if (const QString why = why_not(); !why.isEmpty()) return base_.notices.notify_error(why);
    change_stroke(tr("change a stroke"), stroke, [&](Stroke& own) {
        if (brush.tool == MendTool::wipe_back)
            own.source = WipeBack{};
        else if (brush.tool != MendTool::heal && brush.tool != MendTool::copy)
            own.source = base_.standpoint.stroke_source();
        // The way to another source leads through other frames.
        if (auto* fade = std::get_if<FadeAcross>(&own.shape); fade && !fade->through.empty())
            fade->through = std::holds_alternative<FrameId>(own.source)
                                ? frames_between(own.points[0], std::get<FrameId>(own.source))
                                : std::vector<FrameId>();
        own.match_tone = brush.match_tone || brush.tool == MendTool::heal;
        own.radius_px = brush.radius_px;
        own.softness = brush.softness;
        own.flow = brush.flow;
    });
}

void Brushwork::delete_stroke(int stroke) {
    const ProjectResult* result = base_.standpoint.result();
    if (!result || stroke < 0 || stroke >= result->strokes.size()) return;
    std::vector<int> others;
    for (int i = 0; i < result->strokes.size(); ++i)
        if (i != stroke) others.push_back(i);
    base_.document.edit(tr("delete a stroke"),
                        with_strokes(base_.document.project(), result->id, result->strokes.picked(others)));
}

const ProjectResult* Brushwork::others_strokes() const {
    const ProjectResult* shown = base_.standpoint.result();
    const ProjectResult* newest = nullptr;
    if (shown)
        for (const ProjectResult& other : base_.document.project().results)
            if (other.id != shown->id && !other.strokes.empty()) newest = &other;
    return newest;
}

void Brushwork::take_over_strokes() {
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

void Brushwork::change_stroke(const QString& what, int stroke, const std::function<void(Stroke&)>& change) {
    const ProjectResult* result = base_.standpoint.result();
    if (!result || stroke < 0 || stroke >= result->strokes.size()) return;
    std::vector<Stroke> strokes(result->strokes.begin(), result->strokes.end());
    change(strokes[std::size_t(stroke)]);
    base_.document.edit(what, with_strokes(base_.document.project(), result->id, SharedList(strokes)));
}

Stroke Brushwork::stroke_of_brush() const {
    const Brush& brush = base_.standpoint.brush();
    Stroke stroke;
    if (brush.tool == MendTool::draw_in || brush.tool == MendTool::fade || brush.tool == MendTool::take)
        stroke.source = base_.standpoint.stroke_source();
    if (brush.tool == MendTool::copy && copied_from_) stroke.source = *copied_from_;
    stroke.radius_px = brush.radius_px;
    stroke.softness = brush.softness;
    stroke.flow = brush.flow;
    stroke.match_tone = brush.match_tone && brush.tool != MendTool::wipe_back && brush.tool != MendTool::fade;
    return stroke;
}

void Brushwork::begin_stroke(QPointF place, double pressure) {
    // Whoever else was drawing has lifted the brush by now.
    if (live_ || (!guide_.isEmpty() && !making_.is_busy())) end_stroke();
    if (const QString why = why_not(); !why.isEmpty()) return base_.notices.notify_error(why);
    const MendTool tool = base_.standpoint.brush().tool;
    base_.standpoint.set_drawing(true);
    if (tool == MendTool::fade || tool == MendTool::take || tool == MendTool::heal) {
        guided_by_ = tool;
        return set_guide({place});
    }
    if (tool == MendTool::copy && copied_place_) {
        const QPointF away = *copied_place_ - place;
        copied_from_ = FromPlace{int(std::lround(away.x())), int(std::lround(away.y()))};
        copied_place_.reset();
    }
    Stroke stroke = stroke_of_brush();
    stroke.points = {{place.x(), place.y(), pressure}};
    live_ = stroke;
    render(to_qrect(reach_of(stroke)));
}

void Brushwork::continue_stroke(QPointF place, double pressure) {
    if (!guide_.isEmpty()) {
        const bool fades = guided_by_ == MendTool::fade;
        return set_guide(fades ? QList<QPointF>{guide_.first(), place} : guide_ + QList<QPointF>{place});
    }
    if (!live_) return;
    const StrokePoint last = live_->points.back();
    if (std::hypot(place.x() - last.x_px, place.y() - last.y_px) < 0.5 && pressure <= last.pressure) return;
    live_->points.push_back({place.x(), place.y(), pressure});
    Stroke piece = *live_;
    // A tone that meets the surroundings changes all along when the stroke grows.
    if (!piece.match_tone) piece.points = {last, live_->points.back()};
    render(to_qrect(reach_of(piece)));
}

void Brushwork::end_stroke() {
    if (!guide_.isEmpty()) return end_guided();
    if (!live_) return;
    const Stroke done = *live_;
    live_.reset();
    base_.standpoint.set_drawing(false);
    add_stroke(done);
}

void Brushwork::add_stroke(const Stroke& stroke) {
    base_.document.edit(stroke_words(base_.document.project(), stroke),
                        with_stroke(base_.document.project(), *shown_, stroke));
}

void Brushwork::set_guide(const QList<QPointF>& places) {
    guide_ = places;
    emit guide_changed();
}

void Brushwork::end_guided() {
    Stroke stroke = stroke_of_brush();
    // Whatever tool was picked meanwhile.
    stroke.source =
        guided_by_ == MendTool::heal ? StrokeSource(WipeBack{}) : base_.standpoint.stroke_source();
    for (const QPointF& place : guide_) stroke.points.push_back({place.x(), place.y(), 1});
    if (guided_by_ != MendTool::fade) return make_beside(stroke);
    const double length = QLineF(guide_.first(), guide_.last()).length();
    set_guide({});
    base_.standpoint.set_drawing(false);
    if (length < 2)
        return base_.notices.notify_error(tr("Drag from where the fade begins to where it ends."));
    FadeAcross fade;
    if (base_.standpoint.brush().fade_through) {
        if (!std::holds_alternative<FrameId>(stroke.source) || product_.result->depth.empty())
            return base_.notices.notify_error(
                tr("A fade through the frames needs a frame as its source, and a merge that knows depths. "
                   "Pick a frame, or switch off Through the frames between."));
        fade.through = frames_between(stroke.points.front(), std::get<FrameId>(stroke.source));
    }
    stroke.shape = fade;
    stroke.flow = 1;
    stroke.match_tone = false;
    add_stroke(stroke);
}

/// The frames merged, from the one that is sharp at a place up to the one before the source.
std::vector<FrameId> Brushwork::frames_between(const StrokePoint& from, FrameId source) const {
    const MergeResult& merge = *product_.result;
    const Plane& plane = *product_.plane;
    if (merge.depth.empty()) return {};
    const int x = std::clamp(int(std::lround(from.x_px)), merge.area.x, merge.area.br().x - 1),
              y = std::clamp(int(std::lround(from.y_px)), merge.area.y, merge.area.br().y - 1);
    const int first = int(std::lround(merge.depth(y - merge.area.y, x - merge.area.x))) - 1,
              last = index_of(plane.series, source).value_or(first);
    const ProjectResult* result = find_result(base_.document.project(), *shown_);
    std::vector<FrameId> frames;
    for (int i = first; i != last && result && first >= 0; i += first < last ? 1 : -1) {
        const FrameId id = plane.series.frames[std::size_t(i)].id;
        const auto& merged = result->made_from.frames;
        if (plane.geometry.frames[std::size_t(i)].registered &&
            std::find(merged.begin(), merged.end(), id) != merged.end())
            frames.push_back(id);
    }
    return frames;
}

/// The scribble stays in sight until the stroke is there.
void Brushwork::make_beside(const Stroke& path) {
    const bool heals = guided_by_ == MendTool::heal;
    const auto ended = [this] {
        set_guide({});
        base_.standpoint.set_drawing(false);
    };
    making_.want(
        [product = product_, strokes = followed_, sources = base_.products.sources(),
         results = base_.products.result_sources(followed_.appended(path), product_.plane), path,
         heals](const Job& job) {
            Stroke whole = path;
            whole.flow = 1;  // half a thing or half a speck is never meant
            // Held as long as it is painted from: another series may be opened meanwhile, which lets go of
            // it.
            const std::shared_ptr<const FrameSource> frames = sources->of(product.plane);
            const MendSources from{*frames, results};
            return heals ? healing(*product.result, strokes, from, whole, job)
                         : taking_the_thing(*product.result, strokes, from, whole, job);
        },
        [this, ended](const Stroke& stroke) {
            ended();
            add_stroke(stroke);
        },
        [this, ended](const std::exception& error) {
            ended();
            base_.notices.notify_error(QString::fromUtf8(error.what()));
        });
}

void Brushwork::copy_from(QPointF place) {
    copied_place_ = place;
    copied_from_.reset();
}

void Brushwork::fill(const WhereRule& rule) {
    const bool wipes = base_.standpoint.brush().tool == MendTool::wipe_back;
    for (const QString& why : {why_not_shown(), wipes ? QString() : why_not_source()})
        if (!why.isEmpty()) return base_.notices.notify_error(why);
    Stroke stroke = stroke_of_brush();
    stroke.source = wipes ? StrokeSource(WipeBack{}) : base_.standpoint.stroke_source();
    stroke.flow = 1;
    stroke.match_tone = false;
    stroke.shape = rule;
    try {
        const PixelRect pixel(product_.result->area.x, product_.result->area.y, 1, 1);
        stroke_mask(stroke, pixel, planes_of(*product_.result, product_.plane->series), {});
    } catch (const BadParameter& error) {
        return base_.notices.notify_error(QString::fromUtf8(error.what()));
    }
    add_stroke(stroke);
}

bool Brushwork::is_settled() const {
    const ProjectResult* result = base_.standpoint.result();
    if (!result) return true;
    return shown_ == result->id && display_ && pending_.isEmpty() && !whole_.is_busy() &&
           !pieces_.is_busy() && !making_.is_busy();
}

/// What differs between the strokes on the screen and those of today is rendered anew: undo, redo and new
/// ones alike.
void Brushwork::follow_strokes() {
    const SharedList<Stroke> now = strokes();
    int same = 0;
    while (same < std::min(now.size(), followed_.size()) && now[same] == followed_[same]) ++same;
    QRect area;
    for (const SharedList<Stroke>* list : std::initializer_list<const SharedList<Stroke>*>{&now, &followed_})
        for (int i = same; i < list->size(); ++i) area |= to_qrect(reach_of((*list)[i]));
    followed_ = now;
    render(area);
}

void Brushwork::show_result() {
    // What was mended so far need not be made again when it is looked at next.
    if (shown_ && display_ && pending_.isEmpty() && !pieces_.is_busy())
        store_.put({shown_of_, *shown_, followed_}, std::exchange(display_, nullptr));
    if (product_.file) product_.file->rest();
    live_.reset();
    making_.drop();
    set_guide({});
    base_.standpoint.set_drawing(false);
    whole_.drop();
    pieces_.drop();
    pending_ = {};
    display_.reset();
    product_ = {};
    const ProjectResult* result = base_.standpoint.result();
    shown_ = result ? std::optional(result->id) : std::nullopt;
    shown_of_ = base_.document.id();
    followed_ = result ? result->strokes : SharedList<Stroke>();
    const MergeProduct* product = shown_ ? base_.products.merge(*shown_) : nullptr;
    if (!product) {
        emit display_changed();
        return;
    }
    product_ = *product;
    if ((display_ = store_.take({shown_of_, *shown_, followed_}))) {
        emit display_changed();
        return;
    }
    whole_.want(
        [product = product_, strokes = followed_, sources = base_.products.sources(),
         results = base_.products.result_sources(followed_, product_.plane)](const Job& job) {
            const Picture picture = mended(*product.result, strokes, {*sources->of(product.plane), results},
                                           product.result->area, job);
            return std::make_shared<DisplayPicture>(shown_levels(picture, job),
                                                    QPoint(product.result->area.x, product.result->area.y));
        },
        [this](const std::shared_ptr<DisplayPicture>& made) {
            display_ = made;
            emit display_changed();
            next();
        },
        [this](const std::exception& error) { base_.notices.notify_error(QString::fromUtf8(error.what())); });
    emit display_changed();
}

void Brushwork::render(const QRect& area) {
    if (product_.result) pending_ += area & to_qrect(product_.result->area);
    next();
}

void Brushwork::next() {
    // Pieces are not replaced by one another: each is wanted.
    if (pending_.isEmpty() || !display_ || pieces_.is_busy()) return;
    const QRect area = next_piece(pending_);
    pending_ -= area;
    const SharedList<Stroke> now = strokes();
    pieces_.want(
        [product = product_, strokes = now, sources = base_.products.sources(),
         results = base_.products.result_sources(now, product_.plane), area](const Job& job) {
            return shown_pixels(mended(*product.result, strokes, {*sources->of(product.plane), results},
                                       to_pixel_rect(area), job),
                                job);
        },
        [this, area](const cv::Mat4b& screen) {
            if (!display_) return;
            display_->replace(screen, area.topLeft());
            emit area_changed(area);
        },
        [this](const std::exception& error) { base_.notices.notify_error(QString::fromUtf8(error.what())); });
}

}  // namespace moorhaze::desktop
