// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/view/tone_line.h"

#include <QHelpEvent>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QToolTip>
#include <algorithm>
#include <cmath>

#include "core/finish/tone_mapping.h"
#include "desktop/view/theme.h"

namespace moorhaze::desktop {
namespace {

constexpr double kToneTop = 40, kToneBottom = 40, kToneLeft = 22, kToneRight = 12;
constexpr double kLongestTone = 60;
constexpr double kGrip = 9;
constexpr double kNarrowest = 0.02;  // between black and white, and between points

}  // namespace

ToneLine::ToneLine(QWidget* parent) : QWidget(parent) {
    setFixedWidth(with_text(104));
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setAccessibleName(tr("Tone line"));
    setAccessibleDescription(describe());
}

void ToneLine::set_tones(const Tones& tones) {
    tones_ = tones;
    if (chosen_.kind == Handle::point && chosen_.place >= int(tones_.curve.size()))
        chosen_ = {Handle::middle, 0};
    setAccessibleDescription(describe());
    update();
}

void ToneLine::set_histogram(const std::optional<ToneHistogram>& histogram) {
    histogram_ = histogram;
    update();
}

void ToneLine::set_pointed(std::optional<double> tone) {
    if (tone == pointed_) return;
    pointed_ = tone;
    update();
}

double ToneLine::y_of(double tone) const {
    return height() - kToneBottom - tone * (height() - kToneTop - kToneBottom);
}

double ToneLine::tone_at(double y) const {
    return std::clamp((height() - kToneBottom - y) / (height() - kToneTop - kToneBottom), 0.0, 1.0);
}

double ToneLine::x_of(double becomes) const {
    return kToneLeft + becomes * (width() - kToneLeft - kToneRight);
}

double ToneLine::becomes_at(double x) const {
    return std::clamp((x - kToneLeft) / (width() - kToneLeft - kToneRight), 0.0, 1.0);
}

std::vector<ToneLine::Handle> ToneLine::handles() const {
    std::vector<Handle> all{{Handle::black, 0}, {Handle::middle, 0}};
    for (int i = 0; i < int(tones_.curve.size()); ++i) all.push_back({Handle::point, i});
    all.push_back({Handle::white, 0});
    return all;
}

QPointF ToneLine::place_of(Handle handle) const {
    const ToneMapping mapping(tones_);
    switch (handle.kind) {
        case Handle::black:
            return {width() - 9.0, y_of(tones_.black)};
        case Handle::white:
            return {width() - 9.0, y_of(tones_.white)};
        case Handle::middle:
            return {10, y_of(mapping.tone_at(0.5))};
        case Handle::point:
            break;
    }
    const TonePoint& point = tones_.curve[std::size_t(handle.place)];
    return {x_of(point.becomes), y_of(mapping.tone_at(point.tone))};
}

std::optional<ToneLine::Handle> ToneLine::handle_at(QPointF at) const {
    std::optional<Handle> nearest;
    double least = kGrip;
    for (const Handle& own : handles()) {
        const QPointF place = place_of(own);
        const double off = std::hypot(at.x() - place.x(), at.y() - place.y());
        if (off < least) least = off, nearest = own;
    }
    return nearest;
}

QString ToneLine::words_of(Handle handle) const {
    switch (handle.kind) {
        case Handle::black:
            return tr("black %1 %").arg(100 * tones_.black, 0, 'f', 1);
        case Handle::white:
            return tr("white %1 %").arg(100 * tones_.white, 0, 'f', 1);
        case Handle::middle:
            return tr("middle %1 %").arg(100 * tones_.middle, 0, 'f', 0);
        case Handle::point:
            break;
    }
    const TonePoint& point = tones_.curve[std::size_t(handle.place)];
    return tr("%1 % becomes %2 %").arg(100 * point.tone, 0, 'f', 0).arg(100 * point.becomes, 0, 'f', 0);
}

QString ToneLine::describe() const {
    QString text;
    for (const Handle& own : handles()) text += (text.isEmpty() ? "" : ", ") + words_of(own);
    if (histogram_)
        text += tr("\n%1 % of the picture is clipped to black, %2 % to white")
                    .arg(100 * histogram_->black_clipped, 0, 'f', 1)
                    .arg(100 * histogram_->white_clipped, 0, 'f', 1);
    return text;
}

void ToneLine::paintEvent(QPaintEvent*) {
    const Theme& theme = Theme::current();
    QPainter painter(this);
    painter.fillRect(rect(), theme.well);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setFont(theme_font(11));
    painter.setPen(theme.quiet);
    painter.drawText(QRectF(14, 10, 60, 18), Qt::AlignVCenter | Qt::AlignLeft, tr("light"));
    painter.drawText(QRectF(14, height() - 28, 60, 18), Qt::AlignVCenter | Qt::AlignLeft, tr("dark"));

    if (histogram_) {
        double longest = 1e-9;
        // A single full bin, as of a white ground, does not flatten the rest.
        auto sorted = histogram_->share;
        std::sort(sorted.begin(), sorted.end());
        longest = std::max(sorted[ToneHistogram::kBins - 3], 1e-4);
        const double high = (height() - kToneTop - kToneBottom) / ToneHistogram::kBins;
        for (int bin = 0; bin < ToneHistogram::kBins; ++bin) {
            const double share = std::min(1.0, histogram_->share[std::size_t(bin)] / longest);
            if (share <= 0) continue;
            const int grey =
                theme.dark ? 70 + 170 * bin / ToneHistogram::kBins : 30 + 150 * bin / ToneHistogram::kBins;
            painter.fillRect(QRectF(kToneLeft, y_of((bin + 1.0) / ToneHistogram::kBins) + 0.15 * high,
                                    std::max(2.0, kLongestTone * std::sqrt(share)), 0.7 * high),
                             QColor(grey, grey, grey));
        }
        painter.setPen(theme.gorse);
        const auto clipped = [&](double share, double y) {
            if (share > 0.0005)
                painter.drawText(QRectF(44, y, width() - 48, 16), Qt::AlignRight | Qt::AlignVCenter,
                                 tr("%1 % full").arg(100 * share, 0, 'f', share < 0.1 ? 1 : 0));
        };
        clipped(histogram_->white_clipped, 10);
        clipped(histogram_->black_clipped, height() - 27);
    }

    const ToneMapping mapping(tones_);
    QPainterPath curve;
    for (int i = 0; i <= 100; ++i) {
        const QPointF at(x_of(mapping(i / 100.0)), y_of(i / 100.0));
        i == 0 ? curve.moveTo(at) : curve.lineTo(at);
    }
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(theme.well, 4));
    painter.drawPath(curve);
    painter.setPen(QPen(tones_.is_off ? theme.quiet : theme.text, 1.6));
    painter.drawPath(curve);

    painter.setFont(theme_font(10));
    for (const Handle& own : handles()) {
        const QPointF at = place_of(own);
        const bool is_chosen = own == chosen_ && (hasFocus() || held_);
        if (own.kind == Handle::black || own.kind == Handle::white) {
            painter.setPen(QPen(theme.heather_light, 1.5));
            painter.drawLine(QPointF(6, at.y()), QPointF(width() - 15, at.y()));
            painter.setBrush(theme.heather_light);
            painter.drawRoundedRect(QRectF(at.x() - 6, at.y() - 6, 12, 12), 2, 2);
            const bool is_moved = own.kind == Handle::black ? tones_.black != 0 : tones_.white != 1;
            if (is_moved || is_chosen) {
                // Within the line's range, so that the ends' words stay free.
                const double y = own.kind == Handle::white ? at.y() + 4 : at.y() - 18;
                const QRectF place(6, y, width() - 26, 14);
                const double wide = QFontMetricsF(painter.font()).horizontalAdvance(words_of(own));
                painter.fillRect(QRectF(place.right() - wide - 3, y + 1, wide + 5, 12), theme.well);
                painter.drawText(place, Qt::AlignRight | Qt::AlignVCenter, words_of(own));
            }
        } else if (own.kind == Handle::middle) {
            QPainterPath diamond;
            diamond.moveTo(at + QPointF(-6, 0));
            diamond.lineTo(at + QPointF(0, -6));
            diamond.lineTo(at + QPointF(6, 0));
            diamond.lineTo(at + QPointF(0, 6));
            diamond.closeSubpath();
            painter.setPen(QPen(theme.heather_light, 1.5));
            painter.setBrush(tones_.middle == 0.5 ? theme.well : theme.heather_light);
            painter.drawPath(diamond);
        } else {
            painter.setPen(QPen(theme.heather_light, 1.8));
            painter.setBrush(theme.well);
            painter.drawEllipse(at, 5, 5);
        }
        if (is_chosen) {
            painter.setBrush(Qt::NoBrush);
            painter.setPen(QPen(theme.text, 1.2));
            painter.drawEllipse(at, 9, 9);
        }
    }
    if (pointed_) {
        QPainterPath arrow;
        const double y = y_of(*pointed_);
        arrow.moveTo(0, y - 6);
        arrow.lineTo(8, y);
        arrow.lineTo(0, y + 6);
        arrow.closeSubpath();
        painter.fillPath(arrow, theme.lichen);
    }
}

void ToneLine::move_handle(double tone, std::optional<double> becomes, const QString& join) {
    Tones to = tones_;
    to.is_off = false;
    const ToneMapping mapping(tones_);
    switch (chosen_.kind) {
        case Handle::black:
            to.black = std::clamp(tone, 0.0, tones_.white - kNarrowest);
            break;
        case Handle::white:
            to.white = std::clamp(tone, tones_.black + kNarrowest, 1.0);
            break;
        case Handle::middle:
            to.middle = std::clamp((tone - tones_.black) / (tones_.white - tones_.black), 0.05, 0.95);
            break;
        case Handle::point: {
            const auto place = std::size_t(chosen_.place);
            auto& curve = to.curve;
            const double below = place > 0 ? curve[place - 1].tone + kNarrowest : kNarrowest,
                         above =
                             place + 1 < curve.size() ? curve[place + 1].tone - kNarrowest : 1 - kNarrowest;
            const double darker = place > 0 ? curve[place - 1].becomes : 0,
                         lighter = place + 1 < curve.size() ? curve[place + 1].becomes : 1;
            if (below <= above) curve[place].tone = std::clamp(mapping.level_of(tone), below, above);
            if (becomes) curve[place].becomes = std::clamp(*becomes, darker, lighter);
            break;
        }
    }
    if (to != tones_)
        emit tones_changed(to,
                           chosen_.kind == Handle::black    ? tr("move the black point")
                           : chosen_.kind == Handle::white  ? tr("move the white point")
                           : chosen_.kind == Handle::middle ? tr("move the middle tone")
                                                            : tr("bend the curve"),
                           join);
}

void ToneLine::add_point(double tone) {
    const ToneMapping mapping(tones_);
    const double level = std::clamp(mapping.level_of(tone), kNarrowest, 1 - kNarrowest);
    Tones to = tones_;
    to.is_off = false;
    const auto after = std::find_if(to.curve.begin(), to.curve.end(),
                                    [&](const TonePoint& own) { return own.tone > level - kNarrowest; });
    if (after != to.curve.end() && after->tone < level + kNarrowest) return;  // one is there already
    chosen_ = {Handle::point, int(after - to.curve.begin())};
    to.curve.insert(after, {level, mapping.curve_at(level)});
    emit tones_changed(to, tr("set a point of the curve"), {});
}

void ToneLine::remove_point(int place) {
    Tones to = tones_;
    to.curve.erase(to.curve.begin() + place);
    chosen_ = {Handle::middle, 0};
    emit tones_changed(to, tr("take a point off the curve"), {});
}

void ToneLine::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return;
    if (const auto own = handle_at(event->position())) {
        chosen_ = *own;
        held_ = true;
        ++moves_;
    }
    update();
}

void ToneLine::mouseMoveEvent(QMouseEvent* event) {
    if (held_)
        move_handle(tone_at(event->position().y()), becomes_at(event->position().x()),
                    QStringLiteral("tones %1").arg(moves_));
    else
        setCursor(handle_at(event->position()) ? Qt::SizeVerCursor : Qt::ArrowCursor);
}

void ToneLine::mouseReleaseEvent(QMouseEvent*) {
    held_ = false;
    update();
}

void ToneLine::mouseDoubleClickEvent(QMouseEvent* event) {
    const auto own = handle_at(event->position());
    held_ = false;
    if (!own) return add_point(tone_at(event->position().y()));
    Tones to = tones_;
    if (own->kind == Handle::point) return remove_point(own->place);
    if (own->kind == Handle::black) to.black = 0;
    if (own->kind == Handle::white) to.white = 1;
    if (own->kind == Handle::middle) to.middle = 0.5;
    if (to != tones_) emit tones_changed(to, tr("reset a tone"), {});
}

void ToneLine::keyPressEvent(QKeyEvent* event) {
    const auto all = handles();
    const int place = int(std::find(all.begin(), all.end(), chosen_) - all.begin());
    const double step = event->modifiers() & Qt::ShiftModifier ? 0.05 : 0.01;
    const bool across = event->modifiers() & Qt::AltModifier;
    const QString join = QStringLiteral("tone keys %1").arg(place);
    const ToneMapping mapping(tones_);
    const auto own_tone = [&] {
        return chosen_.kind == Handle::black   ? tones_.black
               : chosen_.kind == Handle::white ? tones_.white
               : chosen_.kind == Handle::middle
                   ? mapping.tone_at(0.5)
                   : mapping.tone_at(tones_.curve[std::size_t(chosen_.place)].tone);
    };
    switch (event->key()) {
        case Qt::Key_Left:
        case Qt::Key_Right: {
            const int by = event->key() == Qt::Key_Right ? 1 : -1;
            if (across && chosen_.kind == Handle::point)
                return move_handle(own_tone(), tones_.curve[std::size_t(chosen_.place)].becomes + by * step,
                                   join);
            chosen_ = all[std::size_t(std::clamp(place + by, 0, int(all.size()) - 1))];
            return update();
        }
        case Qt::Key_Up:
            return move_handle(own_tone() + step, {}, join);
        case Qt::Key_Down:
            return move_handle(own_tone() - step, {}, join);
        case Qt::Key_Insert:
            return add_point(mapping.tone_at(0.5) + 0.1);
        case Qt::Key_Delete:
            if (chosen_.kind == Handle::point) remove_point(chosen_.place);
            return;
        default:
            QWidget::keyPressEvent(event);
    }
}

bool ToneLine::event(QEvent* event) {
    if (event->type() == QEvent::ToolTip) {
        auto* help = static_cast<QHelpEvent*>(event);
        const auto own = handle_at(help->pos());
        QToolTip::showText(help->globalPos(),
                           own ? words_of(*own) + tr("\nDrag it; double-click takes it back")
                               : describe() + tr("\nDouble-click sets a point of the curve"),
                           this);
        return true;
    }
    return QWidget::event(event);
}

}  // namespace moorhaze::desktop
