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

Brushwork::Brushwork(SessionBase& base, PictureStore& store, MendedDisplay& display, QObject* parent)
    : QObject(parent), base_(base), display_(display) {
    connect(&base_.standpoint, &Standpoint::changed, this, [this, &store](Standpoint::Aspect aspect) {
        if (aspect == Standpoint::Aspect::source && base_.standpoint.source())
            store.prepare(*base_.standpoint.source());
    });
    connect(&display_, &MendedDisplay::result_changed, this, [this] {
        making_.drop();
        set_guide({});
        base_.standpoint.set_drawing(false);
    });
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
    if (!display_.picture() || display_.shown() != result->id)
        return tr("The picture is still being prepared.");
    if (making_.is_busy()) return tr("The stroke before is still being made.");
    return {};
}

QString Brushwork::why_not_source() const {
    if (const auto result_source = base_.standpoint.source_result()) return why_not_from(*result_source);
    const auto source = base_.standpoint.source();
    if (!source)
        return tr("Pick a frame to draw in from first: right-click the place and choose in the sounding.");
    const auto place = index_of(product().plane->series, *source);
    const int number = base_.document.place(*source) + 1;
    if (!place)
        return tr("Frame %1 came after this merge was made, so it is not laid over it. Merge again to draw "
                  "in from it, or pick another.")
            .arg(number);
    if (!product().plane->geometry.frames[std::size_t(*place)].registered)
        return tr("Frame %1 is not aligned, so it cannot be drawn in. Pick another.").arg(number);
    return {};
}

QString Brushwork::why_not_from(ResultId source) const {
    const ProjectResult* result = find_result(base_.document.project(), source);
    const MergeProduct* other = base_.products.merge(source);
    if (!result || !other) return tr("The result to draw in from is not there. Pick another source.");
    if (source == display_.shown())
        return tr("This is the result itself: pick another source, or wipe back (E).");
    if (between_planes(other->plane->series, other->plane->geometry, product().plane->series,
                       product().plane->geometry))
        return {};
    return tr("%1 was laid over a frame that is not aligned here, so it cannot be drawn in. Pick another.")
        .arg(text(result->title));
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
    if (display_.live() || (!guide_.isEmpty() && !making_.is_busy())) end_stroke();
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
    display_.set_live(stroke, to_qrect(reach_of(stroke)));
}

void Brushwork::continue_stroke(QPointF place, double pressure) {
    if (!guide_.isEmpty()) {
        const bool fades = guided_by_ == MendTool::fade;
        return set_guide(fades ? QList<QPointF>{guide_.first(), place} : guide_ + QList<QPointF>{place});
    }
    if (!display_.live()) return;
    Stroke grown = *display_.live();
    const StrokePoint last = grown.points.back();
    if (std::hypot(place.x() - last.x_px, place.y() - last.y_px) < 0.5 && pressure <= last.pressure) return;
    grown.points.push_back({place.x(), place.y(), pressure});
    Stroke piece = grown;
    // A tone that meets the surroundings changes all along when the stroke grows.
    if (!piece.match_tone) piece.points = {last, grown.points.back()};
    display_.set_live(grown, to_qrect(reach_of(piece)));
}

void Brushwork::end_stroke() {
    if (!guide_.isEmpty()) return end_guided();
    if (!display_.live()) return;
    const Stroke done = *display_.live();
    display_.set_live({}, {});
    base_.standpoint.set_drawing(false);
    add_stroke(done);
}

void Brushwork::add_stroke(const Stroke& stroke) {
    base_.document.edit(stroke_words(base_.document.project(), stroke),
                        with_stroke(base_.document.project(), *display_.shown(), stroke));
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
        if (!std::holds_alternative<FrameId>(stroke.source) || product().result->depth.empty())
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
    const MergeResult& merge = *product().result;
    const Plane& plane = *product().plane;
    if (merge.depth.empty()) return {};
    const int x = std::clamp(int(std::lround(from.x_px)), merge.area.x, merge.area.br().x - 1),
              y = std::clamp(int(std::lround(from.y_px)), merge.area.y, merge.area.br().y - 1);
    const int first = int(std::lround(merge.depth(y - merge.area.y, x - merge.area.x))) - 1,
              last = index_of(plane.series, source).value_or(first);
    const ProjectResult* result = find_result(base_.document.project(), *display_.shown());
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
        [product = product(), strokes = display_.followed(), sources = base_.products.sources(),
         results = base_.products.result_sources(display_.followed().appended(path), product().plane), path,
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
        const PixelRect pixel(product().result->area.x, product().result->area.y, 1, 1);
        stroke_mask(stroke, pixel, planes_of(*product().result, product().plane->series), {});
    } catch (const BadParameter& error) {
        return base_.notices.notify_error(QString::fromUtf8(error.what()));
    }
    add_stroke(stroke);
}

}  // namespace moorhaze::desktop
