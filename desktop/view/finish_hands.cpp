// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/view/finish_hands.h"

#include <algorithm>
#include <cmath>

#include "core/finish/framing.h"
#include "desktop/view/picture_view.h"

namespace moorhaze::desktop {
namespace {

constexpr double kReach = 12;  // logical pixels
constexpr int kLeastSide = 16;

}  // namespace

FinishHands::FinishHands(Session& session, PictureView& view, QObject* parent)
    : QObject(parent), session_(session), view_(view) {
    connect(&view_, &PictureView::handle_pressed, this, &FinishHands::press);
    connect(&view_, &PictureView::handle_moved, this, &FinishHands::move);
    connect(&view_, &PictureView::handle_released, this, &FinishHands::release);
}

bool FinishHands::is_needed() const {
    const Standpoint& stand = session_.standpoint;
    if (stand.stage() != Stage::finish) return false;
    if (stand.finish_page() == FinishPage::views) return session_.views_look.look() != nullptr;
    if (!stand.result()) return false;
    const bool picks_ground =
        stand.finish_page() == FinishPage::ground && !session_.finishing.finish().ground.picked;
    return stand.finish_hand() != FinishHand::none || stand.finish_page() == FinishPage::frame ||
           stand.finish_page() == FinishPage::colour || picks_ground;
}

std::optional<FinishHands::Grip> FinishHands::grip_of(PixelRect crop, QPointF place, double reach) {
    // From pixel edge to pixel edge.
    const double left = crop.x - 0.5, top = crop.y - 0.5, right = crop.br().x - 0.5,
                 bottom = crop.br().y - 0.5;
    if (place.x() < left - reach || place.x() > right + reach || place.y() < top - reach ||
        place.y() > bottom + reach)
        return std::nullopt;
    Grip grip;
    if (std::abs(place.x() - left) <= reach) grip.across = -1;
    if (std::abs(place.x() - right) <= reach) grip.across = 1;
    if (std::abs(place.y() - top) <= reach) grip.down = -1;
    if (std::abs(place.y() - bottom) <= reach) grip.down = 1;
    grip.inside = grip.across == 0 && grip.down == 0;
    return grip;
}

PixelRect FinishHands::moved(PixelRect crop, Grip grip, QPoint by, PixelRect within, double shape) {
    if (grip.inside) {
        crop.x = std::clamp(crop.x + by.x(), within.x, std::max(within.x, within.br().x - crop.width));
        crop.y = std::clamp(crop.y + by.y(), within.y, std::max(within.y, within.br().y - crop.height));
        return crop;
    }
    int left = crop.x, top = crop.y, right = crop.br().x, bottom = crop.br().y;
    if (grip.across < 0) left = std::clamp(left + by.x(), within.x, right - kLeastSide);
    if (grip.across > 0) right = std::clamp(right + by.x(), left + kLeastSide, within.br().x);
    if (grip.down < 0) top = std::clamp(top + by.y(), within.y, bottom - kLeastSide);
    if (grip.down > 0) bottom = std::clamp(bottom + by.y(), top + kLeastSide, within.br().y);
    if (shape > 0) {
        // The side that was not moved follows, from the corner or edge that stays.
        double width = right - left, height = bottom - top;
        if (grip.across == 0)
            width = height * shape;
        else
            height = width / shape;
        const int most_across = grip.across < 0 ? right - within.x : within.br().x - left,
                  most_down = grip.down < 0 ? bottom - within.y : within.br().y - top;
        const double shrink = std::min({1.0, most_across / width, most_down / height});
        const int w = std::max(1, int(std::lround(width * shrink))),
                  h = std::max(1, int(std::lround(height * shrink)));
        if (grip.across < 0) left = right - w;
        if (grip.down < 0) top = bottom - h;
        return {left, top, w, h};
    }
    return {left, top, right - left, bottom - top};
}

void FinishHands::press(QPointF place, Qt::KeyboardModifiers) {
    Standpoint& stand = session_.standpoint;
    pressed_ = place;
    ++drags_;
    switch (stand.finish_hand()) {
        case FinishHand::grey:
            session_.finishing.pick_grey(place);
            return stand.set_finish_hand(FinishHand::none);
        case FinishHand::ground:
            session_.finishing.pick_ground(place);
            return stand.set_finish_hand(FinishHand::none);
        case FinishHand::level:
            doing_ = Doing::level;
            return;
        case FinishHand::vignette:
            session_.finishing.place_vignette(place);
            return stand.set_finish_hand(FinishHand::none);
        case FinishHand::sharpen:
        case FinishHand::unsharpen:
        case FinishHand::none:
            break;
    }
    if (stand.finish_page() == FinishPage::ground) {
        session_.finishing.pick_ground(place);
    } else if (stand.finish_page() == FinishPage::frame || stand.finish_page() == FinishPage::views) {
        before_ =
            stand.finish_page() == FinishPage::views ? session_.views_look.crop() : session_.finishing.kept();
        const auto grip = before_.empty()
                              ? std::nullopt
                              : grip_of(before_, place, kReach / view_.zoom() * view_.devicePixelRatioF());
        if (!grip) return;
        grip_ = *grip;
        doing_ = Doing::crop;
    } else if (stand.finish_page() == FinishPage::colour) {
        session_.finish_strokes.begin_colour(place);
        doing_ = Doing::colour;
        show_colour(place);
    }
}

void FinishHands::move(QPointF place, Qt::KeyboardModifiers modifiers) {
    const QPointF by = place - pressed_;
    if (doing_ == Doing::level) {
        view_.set_guide({pressed_, place}, 0);
    } else if (doing_ == Doing::crop) {
        const bool of_views = session_.standpoint.finish_page() == FinishPage::views;
        const PixelRect within =
            of_views ? session_.views_look.area()
                     : turned_area(session_.finishing.finish().framing, session_.finishing.area());
        const bool keeps_shape = modifiers & Qt::ShiftModifier;
        const PixelRect crop = moved(before_, grip_, by.toPoint(), within,
                                     keeps_shape ? double(before_.width) / std::max(1, before_.height) : 0);
        if (of_views) return session_.views_look.set_crop(crop);
        session_.finishing.change(
            tr("crop"), [&](Finish& own) { own.framing.crop = crop, own.framing.is_off = false; },
            QStringLiteral("crop %1").arg(drags_));
    } else if (doing_ == Doing::colour) {
        const double scale = view_.zoom() / view_.devicePixelRatioF();
        session_.finish_strokes.drag_colour(by.x() * scale, -by.y() * scale, modifiers & Qt::ShiftModifier);
        show_colour(place);
    }
}

void FinishHands::release() {
    if (doing_ == Doing::level) {
        const QList<QPointF> line = view_.guide();
        view_.set_guide({}, 0);
        session_.standpoint.set_finish_hand(FinishHand::none);
        if (line.size() == 2 && QLineF(line[0], line[1]).length() > 4)
            session_.finishing.level_along(line[0], line[1]);
        else
            session_.notices.notify(tr("Draw a line along what shall be level or upright."));
    }
    if (doing_ == Doing::colour) {
        session_.finish_strokes.end_colour();
        view_.set_pointer_label({}, {});
    }
    doing_ = Doing::none;
}

void FinishHands::show_colour(QPointF place) {
    const QString words = session_.finish_strokes.colour_words();
    view_.set_pointer_label(words.isEmpty() ? std::nullopt : std::optional(QLineF(pressed_, place)), words);
}

}  // namespace moorhaze::desktop
