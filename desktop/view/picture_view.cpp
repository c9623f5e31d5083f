// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/view/picture_view.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QTabletEvent>
#include <QWheelEvent>
#include <algorithm>
#include <cmath>

#include "desktop/view/theme.h"

namespace moorhaze::desktop {
namespace {

constexpr double kCurtainGrip = 7;

}  // namespace

PictureView::PictureView(QWidget* parent) : QWidget(parent) {
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setAttribute(Qt::WA_OpaquePaintEvent);
    setMinimumSize(240, 180);
    setAccessibleName(tr("Picture"));
    setAccessibleDescription(tr("Arrow keys move a mark, Return points at it, S drops a sounding there."));
}

void PictureView::set_plane(QSize plane) {
    if (plane == framing_.plane()) return;
    framing_.set_plane(plane);
    stroke_end_.reset();
    mark_ = QPointF(plane.width() / 2, plane.height() / 2);
    reframed();
}

void PictureView::set_picture(std::shared_ptr<const DisplayPicture> picture, const QString& label) {
    scene_.main = {std::move(picture), label};
    update();
}

void PictureView::set_other(std::shared_ptr<const DisplayPicture> other, const QString& label) {
    scene_.other = {std::move(other), label};
    update();
}

void PictureView::set_patch(std::shared_ptr<const DisplayPicture> patch, const QString& label, bool framed) {
    if (patch == scene_.patch.picture && label == scene_.patch.label) return;
    scene_.patch = {std::move(patch), label};
    scene_.patch_framed = framed;
    update();
}

void PictureView::refresh(const QRect& area) {
    update(framing_.to_view(QRectF(area).adjusted(-1, -1, 1, 1)).toAlignedRect());
}

void PictureView::set_caption(const QString& caption) {
    if (caption == scene_.caption) return;
    scene_.caption = caption;
    setAccessibleDescription(caption);
    update();
}

void PictureView::reframed() {
    update();
    emit zoom_changed();
}

void PictureView::fit() {
    framing_.fit();
    reframed();
}

void PictureView::set_zoom(double zoom) {
    set_zoom(zoom, QPointF(width() / 2.0, height() / 2.0));
}

void PictureView::set_zoom(double zoom, QPointF around) {
    framing_.set_zoom(zoom, around);
    reframed();
}

void PictureView::look_close(double zoom) {
    if (!is_fit()) return fit();
    if (pointer_inside_) return set_zoom(zoom, pointer_);
    framing_.set(zoom, mark_);
    framing_.bring_to_middle(mark_);
    reframed();
}

void PictureView::set_view(double zoom, QPointF centre) {
    framing_.set(zoom, centre);
    update();
}

void PictureView::show_place(QPointF place) {
    if (rect().adjusted(20, 20, -20, -20).contains(to_widget(place).toPoint())) return;
    framing_.bring_to_middle(place);
    reframed();
}

void PictureView::set_curtain(bool on) {
    scene_.curtain = on;
    update();
}

void PictureView::set_curtain_place(double across) {
    scene_.curtain_place = std::clamp(across, 0.02, 0.98);
    update();
}

void PictureView::set_flipped(bool flipped) {
    if (scene_.flipped == flipped) return;
    scene_.flipped = flipped;
    update();
}

void PictureView::set_brush(std::optional<double> radius_px) {
    brush_radius_ = radius_px;
    update_cursor(pointer_);
    update();
}

void PictureView::set_line_drawing(bool on) {
    line_drawing_ = on;
    scene_.line.clear();
    if (drag_ == Drag::line) drag_ = Drag::none;
    update_cursor(pointer_);
    update();
}

void PictureView::set_handling(bool on) {
    if (on == handling_) return;
    handling_ = on;
    if (drag_ == Drag::handle) drag_ = Drag::none;
    update_cursor(pointer_);
}

void PictureView::set_pointer_label(std::optional<QLineF> line, const QString& words) {
    scene_.pointer_line = line;
    scene_.pointer_label = words;
    update();
}

void PictureView::set_point_setting(bool on) {
    point_setting_ = on;
    if (drag_ == Drag::loupe) drag_ = Drag::none;
    update_cursor(pointer_);
    update();
}

void PictureView::set_marks(QList<PictureMark> marks) {
    scene_.marks = std::move(marks);
    update();
}

void PictureView::set_rings(QList<PictureRing> rings) {
    scene_.rings = std::move(rings);
    update();
}

void PictureView::set_kept(std::optional<QRectF> kept, QList<QPolygonF> outlines, const QString& label,
                           PictureScene::Kept as) {
    const bool fits_anew = kept != scene_.kept;
    scene_.kept_as = as;
    scene_.kept = kept;
    scene_.outlines = std::move(outlines);
    scene_.kept_label = label;
    framing_.set_also_in_view(kept);
    if (framing_.is_fit() && fits_anew) emit zoom_changed();
    update();
}

void PictureView::set_spot(std::optional<QRectF> spot, const QString& label) {
    scene_.spot = spot;
    scene_.spot_label = label;
    update();
}

void PictureView::look_at(const QRectF& area) {
    // A third of the view: what is around says what belongs there.
    const double fits = std::min(width() / area.width(), height() / area.height()) * devicePixelRatioF() / 3;
    framing_.set(std::clamp(fits, 0.5, 2.0), {});
    framing_.bring_to_middle(area.center());
    mark_ = framing_.inside(area.center());
    reframed();
}

void PictureView::set_guide(const QList<QPointF>& places, double radius_px) {
    scene_.guide = places;
    scene_.guide_radius_px = radius_px;
    update();
}

void PictureView::set_sounding_place(std::optional<QPointF> place) {
    scene_.sounding_place = place;
    update();
}

void PictureView::paintEvent(QPaintEvent* event) {
    if (framing_.device_ratio() != devicePixelRatioF()) framing_.set_view_size(size(), devicePixelRatioF());
    const bool shown = scene_.main.picture != nullptr;
    scene_.keyboard_mark.reset();
    scene_.brush_place.reset();
    scene_.loupe.reset();
    if (hasFocus() && shown && !pointer_inside_) scene_.keyboard_mark = mark_;
    if (brush_radius_ && shown && (pointer_inside_ || hasFocus())) {
        scene_.brush_place = pointed_place();
        scene_.brush_radius_px = *brush_radius_;
    }
    if (drag_ == Drag::loupe) scene_.loupe = last_;
    QPainter painter(this);
    paint_picture_scene(painter, event->rect(), scene_, framing_);
}

void PictureView::resizeEvent(QResizeEvent*) {
    framing_.set_view_size(size(), devicePixelRatioF());
    if (framing_.is_fit()) reframed();
}

// ------------------------------------------------------------------------------------------------- pointer

bool PictureView::near_curtain(QPointF place) const {
    return scene_.curtain && scene_.other.picture &&
           std::abs(place.x() - width() * scene_.curtain_place) < kCurtainGrip;
}

void PictureView::update_cursor(QPointF place) {
    if (near_curtain(place))
        setCursor(Qt::SplitHCursor);
    else if (drag_ == Drag::pan || space_held_)
        setCursor(drag_ == Drag::pan ? Qt::ClosedHandCursor : Qt::OpenHandCursor);
    else
        setCursor(brush_radius_ ? Qt::BlankCursor : Qt::CrossCursor);
}

void PictureView::wheelEvent(QWheelEvent* event) {
    const int delta = event->angleDelta().y() != 0 ? event->angleDelta().y() : event->angleDelta().x();
    if (event->modifiers() & Qt::ShiftModifier) {
        // A touchpad sends many small parts of a step.
        wheel_rest_ += delta;
        const int steps = wheel_rest_ / QWheelEvent::DefaultDeltasPerStep;
        wheel_rest_ -= steps * QWheelEvent::DefaultDeltasPerStep;
        if (steps != 0) emit frames_stepped(steps);
    } else {
        wheel_rest_ = 0;
        set_zoom(zoom() * std::pow(2.0, delta / 240.0), event->position());
    }
    event->accept();
}

void PictureView::begin_painting(QPointF at, Qt::KeyboardModifiers modifiers, double pressure) {
    drag_ = Drag::paint;
    const QPointF here = to_plane(at);
    const bool straight = (modifiers & Qt::ShiftModifier) && stroke_end_;
    emit stroke_began(straight ? *stroke_end_ : here, pressure);
    if (straight) emit stroke_moved(here, pressure);
    stroke_end_ = here;
}

/// A pen paints with its pressure; whatever else it does goes on as from a mouse.
void PictureView::tabletEvent(QTabletEvent* event) {
    const bool eraser = event->pointerType() == QPointingDevice::PointerType::Eraser;
    const bool paints = brush_radius_ && !near_curtain(event->position()) && !space_held_;
    if (brush_radius_ && eraser != eraser_ && drag_ != Drag::paint) {
        eraser_ = eraser;
        emit eraser_used(eraser);
    }
    if (event->type() == QEvent::TabletPress && paints && event->button() == Qt::LeftButton &&
        drag_ == Drag::none) {
        end_key_painting();
        drag_button_ = Qt::LeftButton;
        press_ = last_ = event->position();
        begin_painting(press_, event->modifiers(), event->pressure());
    } else if (event->type() == QEvent::TabletMove && drag_ == Drag::paint) {
        stroke_end_ = to_plane(event->position());
        emit stroke_moved(*stroke_end_, event->pressure());
    } else if (event->type() == QEvent::TabletRelease && drag_ == Drag::paint) {
        drag_ = Drag::none;
        emit stroke_ended();
    } else {
        return event->ignore();  // it comes again as a mouse's
    }
    pointer_inside_ = true;
    last_ = pointer_ = event->position();
    update();
    event->accept();
}

/// One hand at a time: what the keys were drawing ends where another begins.
void PictureView::end_key_painting() {
    if (std::exchange(key_painting_, false)) emit stroke_ended();
}

void PictureView::mousePressEvent(QMouseEvent* event) {
    // The button that began a drag ends it; what else is pressed meanwhile changes nothing.
    if (drag_ != Drag::none) return;
    end_key_painting();
    drag_button_ = event->button();
    press_ = last_ = event->position();
    if (event->button() == Qt::RightButton) {
        emit sounded(to_plane(press_));
    } else if (event->button() == Qt::MiddleButton || (event->button() == Qt::LeftButton && space_held_)) {
        drag_ = Drag::pan;
    } else if (event->button() == Qt::LeftButton) {
        if (near_curtain(press_))
            drag_ = Drag::curtain;
        else if (brush_radius_) {
            begin_painting(press_, event->modifiers(), 1);
        } else if (point_setting_) {
            drag_ = Drag::loupe;
            update();
        } else if (handling_) {
            drag_ = Drag::handle;
            emit handle_pressed(to_plane(press_), event->modifiers());
        } else if (line_drawing_) {
            drag_ = Drag::line;
            scene_.line = {to_plane(press_)};
        } else {
            drag_ = Drag::point;
        }
    }
    update_cursor(press_);
}

void PictureView::mouseMoveEvent(QMouseEvent* event) {
    const QPointF here = event->position();
    pointer_inside_ = true;
    if (drag_ == Drag::point && (here - press_).manhattanLength() > 4) drag_ = Drag::pan;
    if (drag_ == Drag::pan) {
        framing_.pan(here - last_);
        emit zoom_changed();
    } else if (drag_ == Drag::curtain) {
        set_curtain_place(here.x() / width());
    } else if (drag_ == Drag::paint) {
        stroke_end_ = to_plane(here);
        emit stroke_moved(*stroke_end_, 1);
    } else if (drag_ == Drag::line) {
        scene_.line << to_plane(here);
    } else if (drag_ == Drag::handle) {
        emit handle_moved(to_plane(here), event->modifiers());
    }
    if (shaping_held_ && drag_ == Drag::none) emit brush_shaped(here.x() - last_.x(), last_.y() - here.y());
    last_ = pointer_ = here;
    update_cursor(here);
    if (drag_ != Drag::none || brush_radius_) update();
    emit hovered(to_plane(here));
}

void PictureView::mouseReleaseEvent(QMouseEvent* event) {
    if (drag_ != Drag::none && event->button() != drag_button_) return;
    const Drag was = drag_;
    drag_ = Drag::none;
    if (was == Drag::paint) emit stroke_ended();
    if (was == Drag::line) {
        const QList<QPointF> drawn =
            (event->position() - press_).manhattanLength() > 4 || scene_.line.size() > 8
                ? scene_.line
                : QList<QPointF>{scene_.line.first()};
        scene_.line.clear();
        update();
        emit line_drawn(drawn);
    }
    if (was == Drag::handle) emit handle_released();
    if (was == Drag::loupe) {
        mark_ = to_plane(event->position());
        update();
        emit point_set(mark_);
    }
    if (was == Drag::point) {
        mark_ = to_plane(event->position());
        emit pointed(mark_);
    }
    update_cursor(event->position());
}

void PictureView::leaveEvent(QEvent*) {
    pointer_inside_ = false;
    update();
    emit left();
}

// ------------------------------------------------------------------------------------------------ keyboard

void PictureView::move_mark(QPointF by) {
    mark_ = framing_.inside(mark_ + by);
    pointer_inside_ = false;
    show_place(mark_);
    if (key_painting_) emit stroke_moved(mark_, 1);
    update();
    emit hovered(mark_);
}

void PictureView::keyPressEvent(QKeyEvent* event) {
    const bool large = event->modifiers() & Qt::ShiftModifier;
    if (scene_.curtain && event->modifiers() == Qt::AltModifier &&
        (event->key() == Qt::Key_Left || event->key() == Qt::Key_Right))
        return set_curtain_place(scene_.curtain_place + (event->key() == Qt::Key_Left ? -0.05 : 0.05));
    const double step = std::max(1.0, std::round((large ? 40 : 8) / framing_.scale()));
    switch (event->key()) {
        case Qt::Key_Left:
            return move_mark({-step, 0});
        case Qt::Key_Right:
            return move_mark({step, 0});
        case Qt::Key_Up:
            return move_mark({0, -step});
        case Qt::Key_Down:
            return move_mark({0, step});
        case Qt::Key_Return:
        case Qt::Key_Enter:
            if (!(event->modifiers() & Qt::ControlModifier)) {
                if (!brush_radius_ && point_setting_) {
                    emit point_set(mark_);
                } else if (!brush_radius_ && handling_) {
                    emit handle_pressed(mark_, event->modifiers());
                    emit handle_released();
                } else if (!brush_radius_ && line_drawing_) {
                    emit line_drawn({mark_});
                } else if (!brush_radius_) {
                    emit pointed(mark_);
                } else if (drag_ != Drag::none) {
                    return;  // the mouse is drawing
                } else if (!key_painting_) {
                    // Return puts the brush down, arrows draw, Return lifts it.
                    key_painting_ = true;
                    emit stroke_began(mark_, 1);
                } else {
                    end_key_painting();
                }
                return;
            }
            break;
        case Qt::Key_S:
            if (event->modifiers() == Qt::NoModifier) {
                emit sounded(pointer_inside_ ? to_plane(pointer_) : mark_);
                return;
            }
            break;
        case Qt::Key_Space:
            if (!event->isAutoRepeat()) {
                space_held_ = true;
                update_cursor(pointer_);
            }
            return;
        case Qt::Key_Z:
            if (!brush_radius_ || event->modifiers() != Qt::NoModifier) break;
            if (!event->isAutoRepeat()) {
                shaping_held_ = true;
                last_ = pointer_;
            }
            return;
        default:
            break;
    }
    QWidget::keyPressEvent(event);
}

void PictureView::keyReleaseEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Z && !event->isAutoRepeat()) {
        shaping_held_ = false;
        return;
    }
    if (event->key() == Qt::Key_Space && !event->isAutoRepeat()) {
        space_held_ = false;
        update_cursor(pointer_);
        return;
    }
    QWidget::keyReleaseEvent(event);
}

void PictureView::focusInEvent(QFocusEvent*) {
    update();
}

void PictureView::focusOutEvent(QFocusEvent*) {
    end_key_painting();
    space_held_ = shaping_held_ = false;
    update();
}

}  // namespace moorhaze::desktop
