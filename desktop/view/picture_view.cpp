#include "desktop/view/picture_view.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QWheelEvent>
#include <algorithm>
#include <cmath>

#include "desktop/view/theme.h"

namespace moorhaze::desktop {
namespace {

constexpr double kLargestZoom = 16, kSmallestZoom = 0.02;
constexpr double kCurtainGrip = 7;
constexpr double kLoupeRadius = 76, kLoupeEnlarges = 4;  // logical px; times the zoom shown

}  // namespace

PictureView::PictureView(QWidget* parent) : QWidget(parent) {
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setAttribute(Qt::WA_OpaquePaintEvent);
    setMinimumSize(240, 180);
    setAccessibleName(tr("Picture"));
    setAccessibleDescription(tr("Arrow keys move a mark, Return points at it, S drops a sounding there."));
}

double PictureView::scale() const {
    return zoom_ / devicePixelRatioF();
}

void PictureView::set_plane(QSize plane) {
    if (plane == plane_) return;
    plane_ = plane;
    mark_ = QPointF(plane.width() / 2, plane.height() / 2);
    fit_ = true;
    fit_now();
}

void PictureView::set_picture(std::shared_ptr<const DisplayPicture> picture, const QString& label) {
    picture_ = std::move(picture);
    picture_label_ = label;
    update();
}

void PictureView::set_other(std::shared_ptr<const DisplayPicture> other, const QString& label) {
    other_ = std::move(other);
    other_label_ = label;
    update();
}

void PictureView::refresh(const QRect& area) {
    const QRectF part(to_widget(QPointF(area.topLeft()) - QPointF(1, 1)),
                      to_widget(QPointF(area.bottomRight()) + QPointF(2, 2)));
    update(part.toAlignedRect());
}

void PictureView::set_patch(std::shared_ptr<const DisplayPicture> patch, const QString& label) {
    if (patch == patch_ && label == patch_label_) return;
    patch_ = std::move(patch);
    patch_label_ = label;
    update();
}

QRect PictureView::seen() const {
    return QRectF(to_plane({0, 0}), to_plane(QPointF(width(), height()))).toAlignedRect() & QRect({}, plane_);
}

void PictureView::set_caption(const QString& caption) {
    if (caption == caption_) return;
    caption_ = caption;
    update();
}

void PictureView::fit_now() {
    if (plane_.isEmpty() || width() <= 0) return;
    const QRectF shown = in_view_when_fit();
    const double wide = width() / shown.width(), high = height() / shown.height();
    zoom_ = std::clamp(std::min(wide, high) * devicePixelRatioF(), kSmallestZoom, kLargestZoom);
    centre_ = shown.center();
    update();
    emit zoom_changed();
}

void PictureView::fit() {
    fit_ = true;
    fit_now();
}

void PictureView::set_zoom(double zoom) {
    set_zoom(zoom, QPointF(width() / 2.0, height() / 2.0));
}

void PictureView::set_zoom(double zoom, QPointF around) {
    const QPointF place = to_plane(around);
    fit_ = false;
    zoom_ = std::clamp(zoom, kSmallestZoom, kLargestZoom);
    const QPointF moved = to_plane(around);
    centre_ += place - moved;
    hold_in_view();
    update();
    emit zoom_changed();
}

QPointF PictureView::to_plane(QPointF place) const {
    return (place - QPointF(width() / 2.0, height() / 2.0)) / scale() + centre_;
}

QPointF PictureView::to_widget(QPointF place) const {
    return (place - centre_) * scale() + QPointF(width() / 2.0, height() / 2.0);
}

void PictureView::set_view(double zoom, QPointF centre) {
    fit_ = false;
    zoom_ = zoom;
    centre_ = centre;
    update();
}

void PictureView::show_place(QPointF place) {
    if (rect().adjusted(20, 20, -20, -20).contains(to_widget(place).toPoint())) return;
    centre_ = place;
    fit_ = false;
    hold_in_view();
    update();
    emit zoom_changed();
}

QRectF PictureView::in_view_when_fit() const {
    // Pixel centres lie at whole numbers.
    const QRectF plane(-0.5, -0.5, plane_.width(), plane_.height());
    return kept_ ? plane.united(*kept_) : plane;
}

void PictureView::hold_in_view() {
    // The picture's middle part can always be reached, and it never leaves the view altogether.
    centre_.setX(std::clamp(centre_.x(), 0.0, std::max(0.0, double(plane_.width() - 1))));
    centre_.setY(std::clamp(centre_.y(), 0.0, std::max(0.0, double(plane_.height() - 1))));
}

void PictureView::set_curtain(bool on) {
    curtain_ = on;
    update();
}

void PictureView::set_curtain_place(double across) {
    curtain_place_ = std::clamp(across, 0.02, 0.98);
    update();
}

void PictureView::set_flipped(bool flipped) {
    if (flipped_ == flipped) return;
    flipped_ = flipped;
    update();
}

void PictureView::set_brush(std::optional<double> radius_px) {
    brush_radius_ = radius_px;
    update_cursor(pointer_);
    update();
}

void PictureView::set_line_drawing(bool on) {
    line_drawing_ = on;
    line_.clear();
    if (drag_ == Drag::line) drag_ = Drag::none;
    update_cursor(pointer_);
    update();
}

void PictureView::set_point_setting(bool on) {
    point_setting_ = on;
    if (drag_ == Drag::loupe) drag_ = Drag::none;
    update_cursor(pointer_);
    update();
}

void PictureView::set_marks(QList<PictureMark> marks) {
    marks_ = std::move(marks);
    update();
}

void PictureView::set_kept(std::optional<QRectF> kept, QList<QPolygonF> outlines, const QString& label) {
    const bool fits_anew = kept != kept_;
    kept_ = kept;
    outlines_ = std::move(outlines);
    kept_label_ = label;
    if (fit_ && fits_anew) fit_now();
    update();
}

void PictureView::set_sounding_place(std::optional<QPointF> place) {
    sounding_place_ = place;
    update();
}

// ------------------------------------------------------------------------------------------------ painting

void PictureView::draw(QPainter& painter, const DisplayPicture& picture, const QRectF& part) const {
    const auto& levels = picture.levels();
    if (levels.empty()) return;
    // The coarsest level that is still at least as fine as the screen.
    std::size_t level = 0;
    double shrink = picture.scale();
    while (level + 1 < levels.size() && zoom_ * shrink * 2 <= 1.0001) ++level, shrink *= 2;
    const QImage& image = levels[level];

    // Pixel centres lie at whole numbers, so a pixel reaches half a pixel to each side.
    const QPointF from = to_plane(part.topLeft()) - picture.origin() + QPointF(0.5, 0.5);
    const QPointF to = to_plane(part.bottomRight()) - picture.origin() + QPointF(0.5, 0.5);
    const int left = std::max(0, int(std::floor(from.x() / shrink)) - 1);
    const int top = std::max(0, int(std::floor(from.y() / shrink)) - 1);
    const int right = std::min(image.width(), int(std::ceil(to.x() / shrink)) + 1);
    const int bottom = std::min(image.height(), int(std::ceil(to.y() / shrink)) + 1);
    if (left >= right || top >= bottom) return;
    const QPointF origin = QPointF(picture.origin()) - QPointF(0.5, 0.5);
    const QRectF target(to_widget(QPointF(left * shrink, top * shrink) + origin),
                        to_widget(QPointF(right * shrink, bottom * shrink) + origin));
    const double magnified = zoom_ * shrink;
    painter.setRenderHint(QPainter::SmoothPixmapTransform, magnified < 2 && std::abs(magnified - 1) > 1e-3);
    painter.save();
    painter.setClipRect(part, Qt::IntersectClip);
    painter.drawImage(target, image, QRectF(left, top, right - left, bottom - top));
    painter.restore();
}

void PictureView::draw_label(QPainter& painter, const QString& text, QPointF corner,
                             Qt::Corner anchor) const {
    if (text.isEmpty()) return;
    painter.setFont(theme_font(11));
    const QFontMetricsF metrics(painter.font());
    QRectF box(0, 0, metrics.horizontalAdvance(text) + 14, metrics.height() + 6);
    if (anchor == Qt::TopLeftCorner) box.moveTopLeft(corner);
    if (anchor == Qt::TopRightCorner) box.moveTopRight(corner);
    if (anchor == Qt::BottomRightCorner) box.moveBottomRight(corner);
    painter.setPen(Qt::NoPen);
    painter.setBrush(QColor(20, 20, 22, 190));
    painter.drawRoundedRect(box, 3, 3);
    painter.setPen(QColor(0xf0f0f2));
    painter.drawText(box, Qt::AlignCenter, text);
}

void PictureView::paintEvent(QPaintEvent* event) {
    QPainter painter(this);
    painter.fillRect(event->rect(), Theme::current().surround);
    painter.setRenderHint(QPainter::Antialiasing);
    const QRectF whole(event->rect());
    const bool compare = other_ != nullptr;
    const DisplayPicture* main = flipped_ && compare ? other_.get() : picture_.get();
    const double split = width() * curtain_place_;
    if (curtain_ && compare && picture_ && !flipped_) {
        draw(painter, *other_, whole.intersected(QRectF(0, 0, split, height())));
        const QRectF own = whole.intersected(QRectF(split, 0, width() - split, height()));
        draw(painter, *picture_, own);
        draw_patch(painter, own);
        painter.setPen(QPen(QColor(20, 20, 22), 3));
        painter.drawLine(QPointF(split, 0), QPointF(split, height()));
        painter.setPen(QPen(Theme::current().heather_light, 1));
        painter.drawLine(QPointF(split, 0), QPointF(split, height()));
        painter.setBrush(Theme::current().heather);
        painter.drawRoundedRect(QRectF(split - 5, height() / 2.0 - 16, 10, 32), 5, 5);
        draw_label(painter, other_label_, {split - 8, 10}, Qt::TopRightCorner);
        draw_label(painter, picture_label_, {split + 8, 10}, Qt::TopLeftCorner);
    } else if (main) {
        draw(painter, *main, whole);
        if (main == picture_.get()) draw_patch(painter, whole);
        draw_label(painter, flipped_ && compare ? other_label_ : QString(), {10, 10}, Qt::TopLeftCorner);
    }
    draw_kept(painter);
    draw_marks(painter);
    if (sounding_place_) {
        const QPointF at = to_widget(*sounding_place_);
        for (const auto& [colour, wide] :
             {std::pair{QColor(20, 20, 22), 3.0}, {QColor(Theme::current().heather_light), 1.2}}) {
            painter.setPen(QPen(colour, wide));
            painter.setBrush(Qt::NoBrush);
            painter.drawEllipse(at, 5, 5);
            painter.drawLine(at + QPointF(0, -5), at + QPointF(0, -13));
        }
    }
    if (line_.size() > 1) {
        QPolygonF way;
        for (const QPointF& place : line_) way << to_widget(place);
        painter.setBrush(Qt::NoBrush);
        for (const auto& [colour, wide] :
             {std::pair{QColor(20, 20, 22), 5.0}, {QColor(Theme::current().heather_light), 2.5}}) {
            painter.setPen(QPen(colour, wide, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
            painter.drawPolyline(way);
        }
    }
    if (hasFocus() && picture_ && !pointer_inside_) {
        const QPointF at = to_widget(mark_);
        for (const auto& [colour, wide] : {std::pair{QColor(20, 20, 22), 3.0}, {QColor(0xf0f0f2), 1.0}}) {
            painter.setPen(QPen(colour, wide));
            for (const QPointF& way : {QPointF(1, 0), QPointF(-1, 0), QPointF(0, 1), QPointF(0, -1)})
                painter.drawLine(at + way * 4, at + way * 12);
        }
    }
    if (brush_radius_ && picture_ && (pointer_inside_ || hasFocus())) {
        const QPointF at = pointer_inside_ ? pointer_ : to_widget(mark_);
        const double radius = std::max(1.5, *brush_radius_ * scale());
        painter.setBrush(Qt::NoBrush);
        painter.setPen(QPen(QColor(0, 0, 0, 150), 2.5));
        painter.drawEllipse(at, radius, radius);
        painter.setPen(QPen(QColor(255, 255, 255, 230), 1.2));
        painter.drawEllipse(at, radius, radius);
    }
    if (drag_ == Drag::loupe) draw_loupe(painter);
    draw_label(painter, caption_, {width() - 8.0, height() - 8.0}, Qt::BottomRightCorner);
}

void PictureView::draw_patch(QPainter& painter, const QRectF& part) const {
    if (!patch_) return;
    draw(painter, *patch_, part);
    const QRectF area(to_widget(QPointF(patch_->area().topLeft()) - QPointF(0.5, 0.5)),
                      QSizeF(patch_->area().size()) * scale());
    painter.save();
    painter.setClipRect(part, Qt::IntersectClip);
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(QColor(20, 20, 22), 3));
    painter.drawRect(area);
    painter.setPen(QPen(Theme::current().heather_light, 1.2, Qt::DashLine));
    painter.drawRect(area);
    const QRectF seen = area.intersected(rect());
    draw_label(painter, patch_label_, seen.topRight() + QPointF(-8, 8), Qt::TopRightCorner);
    painter.restore();
}

void PictureView::draw_kept(QPainter& painter) const {
    if (!kept_ || !picture_) return;
    const Theme& theme = Theme::current();
    auto on_screen = [&](const QPolygonF& polygon) {
        QPolygonF moved;
        for (const QPointF& at : polygon) moved << to_widget(at);
        return moved;
    };
    for (const QPolygonF& outline : outlines_) {
        painter.setBrush(Qt::NoBrush);
        painter.setPen(QPen(QColor(240, 240, 242, 60), 1));
        painter.drawPolygon(on_screen(outline));
    }
    const QRectF kept(to_widget(kept_->topLeft()), to_widget(kept_->bottomRight()));
    QPainterPath lost, inner;
    const QRectF all = in_view_when_fit();
    lost.addRect(QRectF(to_widget(all.topLeft()), to_widget(all.bottomRight())));
    inner.addRect(kept);
    painter.fillPath(lost.subtracted(inner), QColor(20, 20, 22, 150));
    painter.setBrush(Qt::NoBrush);
    for (const auto& [colour, wide] : {std::pair{QColor(20, 20, 22), 3.0}, {QColor(theme.gorse), 1.5}}) {
        painter.setPen(QPen(colour, wide));
        painter.drawRect(kept);
    }
    const QRectF seen = kept.intersected(rect());
    if (!seen.isEmpty())
        draw_label(painter, kept_label_, seen.topRight() + QPointF(-6, 6), Qt::TopRightCorner);
}

void PictureView::draw_marks(QPainter& painter) const {
    for (const PictureMark& mark : marks_) {
        const QPointF at = to_widget(mark.place);
        const QColor colour = mark.waiting ? Theme::current().gorse : Theme::current().heather_light;
        for (const auto& [ink, wide] : {std::pair{QColor(20, 20, 22), 3.5}, {colour, 1.5}}) {
            painter.setPen(QPen(ink, wide));
            for (const QPointF& way : {QPointF(1, 0), QPointF(-1, 0), QPointF(0, 1), QPointF(0, -1)})
                painter.drawLine(at + way * 3, at + way * 9);
        }
        draw_label(painter, mark.label, at + QPointF(8, 8), Qt::TopLeftCorner);
    }
}

void PictureView::draw_loupe(QPainter& painter) const {
    if (!picture_ || picture_->levels().empty()) return;
    // Beside the pointer, on the side where there is room.
    const double reach = kLoupeRadius + 24;
    const QPointF middle(last_.x() < width() / 2.0 ? last_.x() + reach : last_.x() - reach,
                         last_.y() < height() / 2.0 ? last_.y() + reach : last_.y() - reach);
    const QPointF place = to_plane(last_);
    const double enlarged = std::max(scale() * kLoupeEnlarges, kLoupeEnlarges / devicePixelRatioF());
    const QImage& image = picture_->levels()[0];
    const double shrink = picture_->scale();
    const QPointF at = (place - picture_->origin() + QPointF(0.5, 0.5)) / shrink;
    const double half = kLoupeRadius / (enlarged * shrink);
    painter.save();
    QPainterPath circle;
    circle.addEllipse(middle, kLoupeRadius, kLoupeRadius);
    painter.fillPath(circle, Theme::current().surround);
    painter.setClipPath(circle);
    painter.setRenderHint(QPainter::SmoothPixmapTransform);
    painter.drawImage(QRectF(middle - QPointF(kLoupeRadius, kLoupeRadius), QSizeF(2, 2) * kLoupeRadius),
                      image, QRectF(at - QPointF(half, half), QSizeF(2 * half, 2 * half)));
    painter.restore();
    painter.setBrush(Qt::NoBrush);
    for (const auto& [ink, wide] :
         {std::pair{QColor(20, 20, 22), 3.5}, {QColor(Theme::current().heather_light), 1.5}}) {
        painter.setPen(QPen(ink, wide));
        painter.drawEllipse(middle, kLoupeRadius, kLoupeRadius);
        for (const QPointF& way : {QPointF(1, 0), QPointF(-1, 0), QPointF(0, 1), QPointF(0, -1)})
            painter.drawLine(middle + way * 4, middle + way * 18);
    }
}

void PictureView::resizeEvent(QResizeEvent*) {
    if (fit_) fit_now();
}

// ------------------------------------------------------------------------------------------------- pointer

bool PictureView::near_curtain(QPointF place) const {
    return curtain_ && other_ && std::abs(place.x() - width() * curtain_place_) < kCurtainGrip;
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
    if (event->modifiers() & Qt::ShiftModifier)
        emit frames_stepped(delta > 0 ? 1 : -1);
    else
        set_zoom(zoom_ * std::pow(2.0, delta / 240.0), event->position());
    event->accept();
}

void PictureView::mousePressEvent(QMouseEvent* event) {
    press_ = last_ = event->position();
    if (event->button() == Qt::RightButton) {
        emit sounded(to_plane(press_));
    } else if (event->button() == Qt::MiddleButton || (event->button() == Qt::LeftButton && space_held_)) {
        drag_ = Drag::pan;
    } else if (event->button() == Qt::LeftButton) {
        if (near_curtain(press_))
            drag_ = Drag::curtain;
        else if (brush_radius_) {
            drag_ = Drag::paint;
            emit stroke_began(to_plane(press_));
        } else if (point_setting_) {
            drag_ = Drag::loupe;
            update();
        } else if (line_drawing_) {
            drag_ = Drag::line;
            line_ = {to_plane(press_)};
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
        fit_ = false;
        centre_ -= (here - last_) / scale();
        hold_in_view();
        emit zoom_changed();
    } else if (drag_ == Drag::curtain) {
        set_curtain_place(here.x() / width());
    } else if (drag_ == Drag::paint) {
        emit stroke_moved(to_plane(here));
    } else if (drag_ == Drag::line) {
        line_ << to_plane(here);
    }
    last_ = pointer_ = here;
    update_cursor(here);
    if (drag_ != Drag::none || brush_radius_) update();
    emit hovered(to_plane(here));
}

void PictureView::mouseReleaseEvent(QMouseEvent* event) {
    const Drag was = drag_;
    drag_ = Drag::none;
    if (was == Drag::paint) emit stroke_ended();
    if (was == Drag::line) {
        const QList<QPointF> drawn = (event->position() - press_).manhattanLength() > 4 || line_.size() > 8
                                         ? line_
                                         : QList<QPointF>{line_.first()};
        line_.clear();
        update();
        emit line_drawn(drawn);
    }
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
    mark_ = {std::clamp(mark_.x() + by.x(), 0.0, std::max(0.0, plane_.width() - 1.0)),
             std::clamp(mark_.y() + by.y(), 0.0, std::max(0.0, plane_.height() - 1.0))};
    pointer_inside_ = false;
    show_place(mark_);
    if (key_painting_) emit stroke_moved(mark_);
    update();
    emit hovered(mark_);
}

void PictureView::keyPressEvent(QKeyEvent* event) {
    const bool large = event->modifiers() & Qt::ShiftModifier;
    const double step = std::max(1.0, std::round((large ? 40 : 8) / scale()));
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
                } else if (!brush_radius_ && line_drawing_) {
                    emit line_drawn({mark_});
                } else if (!brush_radius_) {
                    emit pointed(mark_);
                } else if (!key_painting_) {
                    // Return puts the brush down, arrows draw, Return lifts it.
                    key_painting_ = true;
                    emit stroke_began(mark_);
                } else {
                    key_painting_ = false;
                    emit stroke_ended();
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
        default:
            break;
    }
    QWidget::keyPressEvent(event);
}

void PictureView::keyReleaseEvent(QKeyEvent* event) {
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
    if (key_painting_) {
        key_painting_ = false;
        emit stroke_ended();
    }
    space_held_ = false;
    update();
}

}  // namespace moorhaze::desktop
