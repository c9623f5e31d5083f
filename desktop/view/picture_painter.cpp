// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/view/picture_painter.h"

#include <QPainter>
#include <QPainterPath>
#include <algorithm>
#include <cmath>
#include <tuple>

#include "desktop/view/theme.h"

namespace moorhaze::desktop {
namespace {

constexpr double kLoupeRadius = 76, kLoupeEnlarges = 4;  // logical px; times the zoom shown
const QColor kInk(20, 20, 22);
const QColor kHeather(0xc3a3d8);
const QColor kGorse(0xe0b23c);  // as on the dark look: pictures are the same in both

/// A thin bright line on a broader dark one, to be seen on light and dark alike.
template <class Draw>
void on_any_ground(QPainter& painter, const QColor& bright, double wide, double rim, const Draw& draw) {
    painter.setBrush(Qt::NoBrush);
    for (const auto& [ink, pen] : {std::pair{kInk, rim}, {bright, wide}}) {
        painter.setPen(QPen(ink, pen, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
        draw();
    }
}

class ScenePainter {
  public:
    ScenePainter(QPainter& painter, const PictureScene& scene, const PictureFraming& framing)
        : painter_(painter),
          scene_(scene),
          framing_(framing),
          view_({}, QSizeF(framing.view_size())),
          width_(view_.width()),
          height_(view_.height()) {}
    void paint(const QRectF& dirty);

  private:
    void draw(const DisplayPicture& picture, const QRectF& part);
    void draw_pictures(const QRectF& part);
    void draw_label(const QString& text, QPointF corner, Qt::Corner anchor);
    void draw_patch(const QRectF& part);
    void draw_kept();
    void draw_grips(const QRectF& kept);
    void draw_spot();
    void draw_marks();
    void draw_rings();
    void draw_cross(QPointF at, double from, double to);
    void draw_pointers();
    void draw_loupe(QPointF at_view);

    QPainter& painter_;
    const PictureScene& scene_;
    const PictureFraming& framing_;
    const QRectF view_;
    const double width_, height_;
};

void ScenePainter::draw(const DisplayPicture& picture, const QRectF& part) {
    const auto& levels = picture.levels();
    if (levels.empty()) return;
    // The coarsest level that is still at least as fine as the screen.
    std::size_t level = 0;
    double shrink = picture.scale();
    while (level + 1 < levels.size() && framing_.zoom() * shrink * 2 <= 1.0001) ++level, shrink *= 2;
    const QImage& image = levels[level];

    // Pixel centres lie at whole numbers, so a pixel reaches half a pixel to each side.
    const QPointF from = framing_.to_plane(part.topLeft()) - picture.origin() + QPointF(0.5, 0.5);
    const QPointF to = framing_.to_plane(part.bottomRight()) - picture.origin() + QPointF(0.5, 0.5);
    const int left = std::max(0, int(std::floor(from.x() / shrink)) - 1);
    const int top = std::max(0, int(std::floor(from.y() / shrink)) - 1);
    const int right = std::min(image.width(), int(std::ceil(to.x() / shrink)) + 1);
    const int bottom = std::min(image.height(), int(std::ceil(to.y() / shrink)) + 1);
    if (left >= right || top >= bottom) return;
    const QPointF origin = QPointF(picture.origin()) - QPointF(0.5, 0.5);
    const QRectF target(framing_.to_view(QPointF(left * shrink, top * shrink) + origin),
                        framing_.to_view(QPointF(right * shrink, bottom * shrink) + origin));
    const double magnified = framing_.zoom() * shrink;
    painter_.setRenderHint(QPainter::SmoothPixmapTransform, magnified < 2 && std::abs(magnified - 1) > 1e-3);
    painter_.save();
    painter_.setClipRect(part, Qt::IntersectClip);
    painter_.drawImage(target, image, QRectF(left, top, right - left, bottom - top));
    painter_.restore();
}

void ScenePainter::draw_label(const QString& text, QPointF corner, Qt::Corner anchor) {
    if (text.isEmpty()) return;
    painter_.setFont(theme_font(11));
    const QFontMetricsF metrics(painter_.font());
    QRectF box(0, 0, metrics.horizontalAdvance(text) + 14, metrics.height() + 6);
    if (anchor == Qt::TopLeftCorner) box.moveTopLeft(corner);
    if (anchor == Qt::TopRightCorner) box.moveTopRight(corner);
    if (anchor == Qt::BottomRightCorner) box.moveBottomRight(corner);
    painter_.setPen(Qt::NoPen);
    painter_.setBrush(QColor(20, 20, 22, 190));
    painter_.drawRoundedRect(box, 3, 3);
    painter_.setPen(QColor(0xf0f0f2));
    painter_.drawText(box, Qt::AlignCenter, text);
}

void ScenePainter::paint(const QRectF& dirty) {
    painter_.fillRect(dirty, Theme::current().surround);
    painter_.setRenderHint(QPainter::Antialiasing);
    draw_pictures(dirty);
    draw_kept();
    draw_spot();
    draw_rings();
    draw_marks();
    draw_pointers();
    if (scene_.loupe) draw_loupe(*scene_.loupe);
    draw_label(scene_.caption, {width_ - 8, height_ - 8}, Qt::BottomRightCorner);
}

void ScenePainter::draw_pictures(const QRectF& part) {
    const DisplayPicture *main = scene_.main.picture.get(), *other = scene_.other.picture.get();
    if (scene_.curtain && other && main && !scene_.flipped) {
        const double split = width_ * scene_.curtain_place;
        draw(*other, part.intersected(QRectF(0, 0, split, height_)));
        const QRectF own = part.intersected(QRectF(split, 0, width_ - split, height_));
        draw(*main, own);
        draw_patch(own);
        on_any_ground(painter_, Theme::current().heather_light, 1, 3,
                      [&] { painter_.drawLine(QPointF(split, 0), QPointF(split, height_)); });
        painter_.setBrush(Theme::current().heather);
        painter_.drawRoundedRect(QRectF(split - 5, height_ / 2 - 16, 10, 32), 5, 5);
        draw_label(scene_.other.label, {split - 8, 10}, Qt::TopRightCorner);
        draw_label(scene_.main.label, {split + 8, 10}, Qt::TopLeftCorner);
    } else if (scene_.flipped && other) {
        draw(*other, part);
        draw_label(scene_.other.label, {10, 10}, Qt::TopLeftCorner);
    } else if (main) {
        draw(*main, part);
        draw_patch(part);
    }
}

void ScenePainter::draw_cross(QPointF at, double from, double to) {
    for (const QPointF& way : {QPointF(1, 0), QPointF(-1, 0), QPointF(0, 1), QPointF(0, -1)})
        painter_.drawLine(at + way * from, at + way * to);
}

void ScenePainter::draw_pointers() {
    const Theme& theme = Theme::current();
    if (scene_.sounding_place) {
        const QPointF at = framing_.to_view(*scene_.sounding_place);
        on_any_ground(painter_, theme.heather_light, 1.2, 3, [&] {
            painter_.drawEllipse(at, 5, 5);
            painter_.drawLine(at + QPointF(0, -5), at + QPointF(0, -13));
        });
    }
    if (scene_.line.size() > 1) {
        QPolygonF way;
        for (const QPointF& place : scene_.line) way << framing_.to_view(place);
        on_any_ground(painter_, theme.heather_light, 2.5, 5, [&] { painter_.drawPolyline(way); });
    }
    if (!scene_.guide.isEmpty()) {
        QPolygonF way;
        for (const QPointF& place : scene_.guide) way << framing_.to_view(place);
        if (way.size() == 1) way << way[0] + QPointF(0.1, 0);
        if (scene_.guide_radius_px > 0) {
            QColor veil = theme.heather_light;
            veil.setAlpha(110);
            painter_.setPen(QPen(veil, 2 * scene_.guide_radius_px * framing_.scale(), Qt::SolidLine,
                                 Qt::RoundCap, Qt::RoundJoin));
            painter_.drawPolyline(way);
        } else {
            on_any_ground(painter_, theme.heather_light, 2, 4, [&] {
                painter_.drawPolyline(way);
                painter_.drawEllipse(way.first(), 4, 4);
                painter_.drawEllipse(way.last(), 9, 9);
            });
        }
    }
    if (scene_.pointer_line) {
        const QPointF from = framing_.to_view(scene_.pointer_line->p1()),
                      to = framing_.to_view(scene_.pointer_line->p2());
        on_any_ground(painter_, QColor(0xf0f0f2), 2, 4, [&] {
            painter_.drawEllipse(from, 14, 14);
            if (QLineF(from, to).length() > 15)
                painter_.drawLine(from + (to - from) * (14 / QLineF(from, to).length()), to);
        });
        draw_label(scene_.pointer_label, to + QPointF(14, -9), Qt::TopLeftCorner);
    }
    if (scene_.keyboard_mark) {
        const QPointF at = framing_.to_view(*scene_.keyboard_mark);
        on_any_ground(painter_, QColor(0xf0f0f2), 1, 3, [&] { draw_cross(at, 4, 12); });
    }
    if (scene_.brush_place) {
        const QPointF at = framing_.to_view(*scene_.brush_place);
        const double radius = std::max(1.5, scene_.brush_radius_px * framing_.scale());
        on_any_ground(painter_, QColor(255, 255, 255, 230), 1.2, 2.5,
                      [&] { painter_.drawEllipse(at, radius, radius); });
    }
}

void ScenePainter::draw_patch(const QRectF& part) {
    if (!scene_.patch.picture) return;
    draw(*scene_.patch.picture, part);
    if (!scene_.patch_framed) return;
    const QRectF area(framing_.to_view(QPointF(scene_.patch.picture->area().topLeft()) - QPointF(0.5, 0.5)),
                      QSizeF(scene_.patch.picture->area().size()) * framing_.scale());
    painter_.save();
    painter_.setClipRect(part, Qt::IntersectClip);
    painter_.setBrush(Qt::NoBrush);
    painter_.setPen(QPen(QColor(20, 20, 22), 3));
    painter_.drawRect(area);
    painter_.setPen(QPen(Theme::current().heather_light, 1.2, Qt::DashLine));
    painter_.drawRect(area);
    const QRectF seen = area.intersected(view_);
    draw_label(scene_.patch.label, seen.topRight() + QPointF(-8, 8), Qt::TopRightCorner);
    painter_.restore();
}

void ScenePainter::draw_kept() {
    if (!scene_.kept || !scene_.main.picture) return;
    auto on_screen = [&](const QPolygonF& polygon) {
        QPolygonF moved;
        for (const QPointF& at : polygon) moved << framing_.to_view(at);
        return moved;
    };
    for (const QPolygonF& outline : scene_.outlines) {
        painter_.setBrush(Qt::NoBrush);
        painter_.setPen(QPen(QColor(240, 240, 242, 60), 1));
        painter_.drawPolygon(on_screen(outline));
    }
    const QRectF kept = framing_.to_view(*scene_.kept);
    QPainterPath lost, inner;
    lost.addRect(framing_.to_view(framing_.in_view_when_fit()));
    inner.addRect(kept);
    painter_.fillPath(lost.subtracted(inner), QColor(20, 20, 22, 150));
    const bool is_crop = scene_.kept_as != PictureScene::Kept::area;
    on_any_ground(painter_, is_crop ? kHeather : kGorse, 1.5, 3, [&] { painter_.drawRect(kept); });
    const QRectF seen = kept.intersected(view_);
    if (scene_.kept_as == PictureScene::Kept::gripped_crop) draw_grips(kept);
    if (!seen.isEmpty()) draw_label(scene_.kept_label, seen.topRight() + QPointF(-6, 6), Qt::TopRightCorner);
}

void ScenePainter::draw_grips(const QRectF& kept) {
    const QPointF middle = kept.center();
    painter_.setPen(QPen(kInk, 1));
    painter_.setBrush(kHeather);
    for (const QPointF& at : {kept.topLeft(), kept.topRight(), kept.bottomLeft(), kept.bottomRight(),
                              QPointF(middle.x(), kept.top()), QPointF(middle.x(), kept.bottom()),
                              QPointF(kept.left(), middle.y()), QPointF(kept.right(), middle.y())})
        painter_.drawRect(QRectF(at.x() - 4, at.y() - 4, 8, 8));
}

/// Corners only: what is looked at stays free.
void ScenePainter::draw_spot() {
    if (!scene_.spot || scene_.flipped) return;
    const QRectF spot = framing_.to_view(*scene_.spot).adjusted(-6, -6, 6, 6);
    const double arm = std::clamp(std::min(spot.width(), spot.height()) / 4, 5.0, 18.0);
    on_any_ground(painter_, kGorse, 1.5, 3.5, [&] {
        for (const auto& [corner, across, down] : {std::tuple{spot.topLeft(), arm, arm},
                                                   {spot.topRight(), -arm, arm},
                                                   {spot.bottomLeft(), arm, -arm},
                                                   {spot.bottomRight(), -arm, -arm}}) {
            painter_.drawLine(corner, corner + QPointF(across, 0));
            painter_.drawLine(corner, corner + QPointF(0, down));
        }
    });
    if (spot.intersects(view_))
        draw_label(scene_.spot_label, spot.bottomLeft() + QPointF(0, 6), Qt::TopLeftCorner);
}

void ScenePainter::draw_marks() {
    for (const PictureMark& mark : scene_.marks) {
        const QPointF at = framing_.to_view(mark.place);
        const QColor colour = mark.waiting ? kGorse : Theme::current().heather_light;
        on_any_ground(painter_, colour, 1.5, 3.5, [&] { draw_cross(at, 3, 9); });
        draw_label(mark.label, at + QPointF(8, 8), Qt::TopLeftCorner);
    }
}

/// Around the place, so that it can be seen itself, and never too small to be noticed.
void ScenePainter::draw_rings() {
    constexpr double kLeastRadius = 7;
    for (const PictureRing& ring : scene_.rings) {
        const QPointF at = framing_.to_view(ring.middle);
        const double radius = std::max(1.6 * ring.radius_px * framing_.scale(), kLeastRadius);
        on_any_ground(painter_, kGorse, 1.5, 3.5, [&] { painter_.drawEllipse(at, radius, radius); });
    }
}

void ScenePainter::draw_loupe(QPointF at_view) {
    if (!scene_.main.picture || scene_.main.picture->levels().empty()) return;
    // Beside the pointer, on the side where there is room.
    const double reach = kLoupeRadius + 24;
    const QPointF middle(at_view.x() < width_ / 2.0 ? at_view.x() + reach : at_view.x() - reach,
                         at_view.y() < height_ / 2.0 ? at_view.y() + reach : at_view.y() - reach);
    const QPointF place = framing_.to_plane(at_view);
    const double enlarged =
        std::max(framing_.scale() * kLoupeEnlarges, kLoupeEnlarges / framing_.device_ratio());
    const QImage& image = scene_.main.picture->levels()[0];
    const double shrink = scene_.main.picture->scale();
    const QPointF at = (place - scene_.main.picture->origin() + QPointF(0.5, 0.5)) / shrink;
    const double half = kLoupeRadius / (enlarged * shrink);
    painter_.save();
    QPainterPath circle;
    circle.addEllipse(middle, kLoupeRadius, kLoupeRadius);
    painter_.fillPath(circle, Theme::current().surround);
    painter_.setClipPath(circle);
    painter_.setRenderHint(QPainter::SmoothPixmapTransform);
    painter_.drawImage(QRectF(middle - QPointF(kLoupeRadius, kLoupeRadius), QSizeF(2, 2) * kLoupeRadius),
                       image, QRectF(at - QPointF(half, half), QSizeF(2 * half, 2 * half)));
    painter_.restore();
    on_any_ground(painter_, Theme::current().heather_light, 1.5, 3.5, [&] {
        painter_.drawEllipse(middle, kLoupeRadius, kLoupeRadius);
        draw_cross(middle, 4, 18);
    });
}

}  // namespace

void paint_picture_scene(QPainter& painter, const QRect& dirty, const PictureScene& scene,
                         const PictureFraming& framing) {
    ScenePainter(painter, scene, framing).paint(dirty);
}

}  // namespace moorhaze::desktop
