// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/view/depth_line.h"

#include <QHelpEvent>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QToolTip>
#include <algorithm>
#include <cmath>

#include "desktop/session/document/facts.h"
#include "desktop/view/theme.h"

namespace moorhaze::desktop {
namespace {

constexpr double kTop = 40, kBottom = 40, kLeft = 24;
constexpr double kShortest = 8, kLongest = 58;

}  // namespace

void paint_depth_ground(QPainter& painter, const QRect& area) {
    const Theme& theme = Theme::current();
    painter.fillRect(area, theme.well);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setFont(theme_font(11));
    painter.setPen(theme.quiet);
    painter.drawText(QRectF(14, 10, 60, 18), Qt::AlignVCenter | Qt::AlignLeft, DepthLine::tr("far"));
    painter.drawText(QRectF(14, area.height() - 28, 60, 18), Qt::AlignVCenter | Qt::AlignLeft,
                     DepthLine::tr("near"));
}

DepthLine::DepthLine(QWidget* parent) : QWidget(parent) {
    setFixedWidth(with_text(104));
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("Depth line"));
}

void DepthLine::set_ticks(std::vector<DepthTick> ticks) {
    ticks_ = std::move(ticks);
    longest_share_ = 0;
    std::vector<double> steps;
    for (const DepthTick& tick : ticks_) steps.push_back(tick.step);
    scale_.set_steps(steps);
    for (const DepthTick& tick : ticks_) longest_share_ = std::max(longest_share_, tick.share);
    setAccessibleDescription(describe(current_));
    update();
}

void DepthLine::set_gaps(std::vector<int> after) {
    gaps_ = std::move(after);
    update();
}

void DepthLine::set_current(int frame) {
    current_ = frame;
    setAccessibleDescription(describe(frame));
    update();
}

void DepthLine::set_range(int first, int last) {
    first_ = first;
    last_ = last;
    update();
}

void DepthLine::set_reference(int frame) {
    reference_ = frame;
    update();
}

void DepthLine::set_threads(std::vector<std::pair<int, int>> threads, int chosen_frame) {
    threads_ = std::move(threads);
    thread_frame_ = chosen_frame;
    update();
}

double DepthLine::tick_height() const {
    return std::clamp(scale_.spacing() * 0.62, 2.0, 13.0);
}

QRectF DepthLine::tick_rect(int frame) const {
    const DepthTick& tick = ticks_[std::size_t(frame)];
    double high = tick_height();
    if (pointer_y_ && scale_.is_crowded())
        high = std::clamp(std::abs(y_of(frame) - y_of(frame + 1)) * 0.62, 1.5, 13.0);
    const double share = longest_share_ > 0 && tick.share > 0 ? tick.share / longest_share_ : 0;
    return {kLeft, y_of(frame) - high / 2, kShortest + (kLongest - kShortest) * share, high};
}

QString DepthLine::describe(int frame) const {
    if (frame < 0 || frame >= count()) return {};
    const DepthTick& tick = ticks_[std::size_t(frame)];
    QString text = tr("Frame %1 of %2").arg(frame + 1).arg(count());
    if (tick.share >= 0) text += tr(", sharpest in %1 % of the picture").arg(100 * tick.share, 0, 'f', 1);
    if (!tick.used) text += tr(", left out");
    if (tick.used && (frame < first_ || frame > last_)) text += tr(", outside the range");
    if (tick.strokes > 0) text += tr(", %1 from it").arg(strokes_text(tick.strokes));
    if (frame == reference_) text += tr(", reference frame");
    if (!tick.warning.isEmpty()) text += "\n" + tick.warning;
    return text;
}

void DepthLine::set_drift(std::vector<DriftCurve> curves, double rest, std::vector<int> ringed) {
    if (curves == drift_ && rest == drift_rest_ && ringed == ringed_) return;
    drift_ = std::move(curves);
    drift_rest_ = rest;
    ringed_ = std::move(ringed);
    update();
}

// ------------------------------------------------------------------------------------------------ painting

void DepthLine::draw_tick(QPainter& painter, int frame) const {
    const Theme& theme = Theme::current();
    const DepthTick& tick = ticks_[std::size_t(frame)];
    const QRectF box = tick_rect(frame);
    const bool inside = tick.used && frame >= first_ && frame <= last_;
    QColor colour = depth_colour(count() > 1 ? double(frame) / (count() - 1) : 0);
    if (!theme.dark) colour = colour.darker(150);
    const double round = std::min(2.0, box.height() / 2);
    if (inside) {
        painter.setPen(Qt::NoPen);
        painter.setBrush(colour);
        painter.drawRoundedRect(box, round, round);
    } else {
        // Hollow: left out, or outside the range.
        painter.setPen(QPen(theme.quiet, 1));
        painter.setBrush(Qt::NoBrush);
        painter.drawRoundedRect(box.adjusted(0.5, 0.5, -0.5, -0.5), round, round);
        if (!tick.used)
            painter.drawLine(QPointF(box.left() - 3, box.center().y()),
                             QPointF(box.left() + kShortest + 3, box.center().y()));
    }
    if (tick.strokes > 0) {
        // A dot on it: it was painted from.
        painter.setPen(Qt::NoPen);
        painter.setBrush(inside ? theme.well : theme.text);
        const double dot = std::min(2.5, box.height() / 3);
        painter.drawEllipse(QPointF(box.left() + 5, box.center().y()), dot, dot);
    }
    if (frame == reference_) {
        // A small square stands before the reference frame.
        painter.setPen(Qt::NoPen);
        painter.setBrush(theme.lichen);
        painter.drawRect(QRectF(kLeft - 8, box.center().y() - 2, 4, 4));
    }
    double right = box.right() + 6;
    if (frame == current_) {
        painter.setBrush(Qt::NoBrush);
        painter.setPen(QPen(theme.heather_light, 1.5));
        painter.drawRoundedRect(box.adjusted(-2, -2, 2, 2), 2, 2);
        QPainterPath arrow;
        const double y = box.center().y();
        arrow.moveTo(4, y - 6);
        arrow.lineTo(13, y);
        arrow.lineTo(4, y + 6);
        arrow.closeSubpath();
        painter.fillPath(arrow, theme.heather_light);
        painter.setPen(theme.text);
        painter.setFont(theme_font(11, true));
        const QString number = QString::number(frame + 1);
        const double wide = QFontMetricsF(painter.font()).horizontalAdvance(number);
        right = std::min(right, width() - wide - 4);
        // The number may stand on a long tick: give it the line's own ground.
        QRectF place(right, y - 8, wide + 2, 16);
        if (place.left() < box.right() + 4) painter.fillRect(place.adjusted(-2, 1, 0, -1), theme.well);
        painter.setPen(theme.text);
        painter.drawText(place, Qt::AlignVCenter | Qt::AlignLeft, number);
        right += wide + 5;
    }
    if (!tick.warning.isEmpty() && tick.used && scale_.spacing() > 6) {
        const double y = box.center().y();
        const double x = right + 11 < width() ? right : width() - 12;
        QPainterPath mark;
        mark.moveTo(x + 4.5, y - 4.5);
        mark.lineTo(x + 9.5, y + 4);
        mark.lineTo(x - 0.5, y + 4);
        mark.closeSubpath();
        painter.setPen(QPen(theme.gorse, 1.3));
        painter.setBrush(theme.well);
        painter.drawPath(mark);
    }
}

void DepthLine::draw_gap(QPainter& painter, int after) const {
    const Theme& theme = Theme::current();
    const double low = y_of(after) - tick_height() / 2, high = y_of(after + 1) + tick_height() / 2;
    const double tall = std::max(8.0, low - high - 2);
    const QRectF box(kLeft, (low + high) / 2 - tall / 2, width() - kLeft - 8, tall);
    painter.fillRect(box, theme.well);
    painter.fillRect(box, QBrush(theme.gorse, Qt::BDiagPattern));
    painter.setPen(theme.gorse);
    painter.setFont(theme_font(10));
    const QRectF word(box.center().x() - 13, box.center().y() - 7, 26, 14);
    painter.fillRect(word, theme.well);
    painter.drawText(word, Qt::AlignCenter, tr("gap"));
}

QRectF DepthLine::handle_rect(bool far_end) const {
    const double y = far_end ? y_of(last_ + 0.5) : y_of(first_ - 0.5);
    return {double(width()) - 14, y - 6, 13, 12};
}

void DepthLine::draw_handle(QPainter& painter, bool far_end) const {
    const QRectF knob = handle_rect(far_end);
    painter.setPen(QPen(Theme::current().heather_light, 1));
    painter.drawLine(QPointF(kLeft - 18, knob.center().y()), QPointF(knob.left(), knob.center().y()));
    painter.setBrush(Theme::current().heather_light);
    painter.drawRoundedRect(knob, 3, 3);
}

void DepthLine::draw_threads(QPainter& painter) const {
    const Theme& theme = Theme::current();
    for (const auto& [frame, y] : threads_) {
        if (frame < 0 || frame >= count()) continue;
        const QRectF box = tick_rect(frame);
        const QPointF from(box.right() + 3, box.center().y()), to(width(), y);
        QPainterPath path(from);
        path.cubicTo(QPointF((from.x() + to.x()) / 2, from.y()), QPointF((from.x() + to.x()) / 2, to.y()),
                     to);
        painter.setBrush(Qt::NoBrush);
        painter.setPen(QPen(frame == thread_frame_ ? theme.heather_light : theme.quiet,
                            frame == thread_frame_ ? 1.4 : 0.8));
        painter.drawPath(path);
    }
}

void DepthLine::draw_drift(QPainter& painter) const {
    double low = drift_rest_, high = drift_rest_;
    for (const DriftCurve& curve : drift_)
        for (const auto& value : curve.values)
            if (value) low = std::min(low, *value), high = std::max(high, *value);
    if (high <= low) return;
    const Theme& theme = Theme::current();
    const double left = kLeft + 6, right = width() - 20;
    auto x_of = [&](double value) { return left + (value - low) / (high - low) * (right - left); };
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(theme.quiet, 1, Qt::DotLine));
    painter.drawLine(QPointF(x_of(drift_rest_), y_of(count() - 1)), QPointF(x_of(drift_rest_), y_of(0)));
    for (const DriftCurve& curve : drift_) {
        QPainterPath path;
        bool on = false;
        for (int i = 0; i < std::min(count(), int(curve.values.size())); ++i) {
            const auto& value = curve.values[std::size_t(i)];
            if (value) {
                const QPointF at(x_of(*value), y_of(i));
                on ? path.lineTo(at) : path.moveTo(at);
            }
            on = value.has_value();
        }
        // A rim of the ground's colour keeps the curve apart from the ticks below it.
        painter.setPen(QPen(theme.well, 4, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
        painter.drawPath(path);
        painter.setPen(
            QPen(theme.text, 1.6, curve.dashed ? Qt::DashLine : Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
        painter.drawPath(path);
        painter.setPen(QPen(theme.gorse, 1.8));
        for (const int frame : ringed_)
            if (frame >= 0 && frame < int(curve.values.size()) && curve.values[std::size_t(frame)])
                painter.drawEllipse(QPointF(x_of(*curve.values[std::size_t(frame)]), y_of(frame)), 4.5, 4.5);
    }
}

void DepthLine::paintEvent(QPaintEvent*) {
    const Theme& theme = Theme::current();
    QPainter painter(this);
    paint_depth_ground(painter, rect());
    if (ticks_.empty()) {
        painter.setPen(QPen(theme.line, 1, Qt::DashLine));
        painter.drawLine(QPointF(kLeft + 4, kTop), QPointF(kLeft + 4, height() - kBottom));
        return;
    }
    for (const int gap : gaps_) draw_gap(painter, gap);
    for (int i = 0; i < count(); ++i)
        if (i != current_) draw_tick(painter, i);
    draw_handle(painter, true);
    draw_handle(painter, false);
    if (current_ >= 0 && current_ < count()) draw_tick(painter, current_);
    draw_drift(painter);
    draw_threads(painter);
    if (hasFocus()) {
        painter.setPen(QPen(theme.heather_light, 1));
        painter.setBrush(Qt::NoBrush);
        painter.drawRect(rect().adjusted(0, 0, -1, -1));
    }
}

// ------------------------------------------------------------------------------------------- pointer, keys

void DepthLine::mousePressEvent(QMouseEvent* event) {
    if (ticks_.empty() || event->button() != Qt::LeftButton) return;
    const QPointF at = event->position();
    if (handle_rect(true).adjusted(-6, -4, 4, 4).contains(at))
        drag_ = Drag::far_handle;
    else if (handle_rect(false).adjusted(-6, -4, 4, 4).contains(at))
        drag_ = Drag::near_handle;
    else {
        drag_ = Drag::step;
        emit frame_chosen(frame_at(at.y()));
    }
    open_up();
}

bool DepthLine::is_handle_held() const {
    return drag_ == Drag::far_handle || drag_ == Drag::near_handle;
}

/// Under a handle that is dragged nothing may give way.
void DepthLine::open_up() {
    scale_.open_at(is_handle_held() ? std::nullopt : pointer_y_);
}

void DepthLine::resizeEvent(QResizeEvent*) {
    scale_.set_ends(kTop, height() - kBottom);
}

void DepthLine::mouseMoveEvent(QMouseEvent* event) {
    pointer_y_ = event->position().y();
    open_up();
    if (drag_ == Drag::step) {
        emit frame_chosen(frame_at(*pointer_y_));
    } else if (drag_ != Drag::none) {
        // A handle stands half a step outside the last frame that is kept.
        const double place = scale_.frame_of_plain(*pointer_y_) + 0.5;
        if (drag_ == Drag::far_handle)
            emit range_dragged(first_, std::clamp(int(std::lround(place)) - 1, first_, count() - 1));
        else
            emit range_dragged(std::clamp(int(std::lround(place)), 0, last_), last_);
    } else {
        const bool on_handle = handle_rect(true).adjusted(-6, -4, 4, 4).contains(event->position()) ||
                               handle_rect(false).adjusted(-6, -4, 4, 4).contains(event->position());
        setCursor(on_handle && !ticks_.empty() ? Qt::SizeVerCursor : Qt::ArrowCursor);
    }
    update();
}

void DepthLine::mouseReleaseEvent(QMouseEvent*) {
    const bool handle = is_handle_held();
    drag_ = Drag::none;
    open_up();
    if (handle) emit range_chosen(first_, last_);
    update();
}

void DepthLine::mouseDoubleClickEvent(QMouseEvent* event) {
    if (!ticks_.empty() && event->button() == Qt::LeftButton)
        emit use_toggled(frame_at(event->position().y()));
}

void DepthLine::leaveEvent(QEvent*) {
    pointer_y_.reset();
    open_up();
    update();
}

void DepthLine::wheelEvent(QWheelEvent* event) {
    wheel_rest_ += event->angleDelta().y();
    const int steps = wheel_rest_ / 120;
    wheel_rest_ -= steps * 120;
    if (steps != 0 && !ticks_.empty()) emit frame_chosen(std::clamp(current_ + steps, 0, count() - 1));
    event->accept();
}

void DepthLine::keyPressEvent(QKeyEvent* event) {
    auto go = [&](int frame) { emit frame_chosen(std::clamp(frame, 0, count() - 1)); };
    if (ticks_.empty()) return QWidget::keyPressEvent(event);
    switch (event->key()) {
        case Qt::Key_Up:
            return go(current_ + 1);
        case Qt::Key_Down:
            return go(current_ - 1);
        case Qt::Key_Home:
            return go(0);
        case Qt::Key_End:
            return go(count() - 1);
        default:
            QWidget::keyPressEvent(event);
    }
}

bool DepthLine::event(QEvent* event) {
    if (event->type() == QEvent::ToolTip && !ticks_.empty()) {
        const auto* help = static_cast<QHelpEvent*>(event);
        QToolTip::showText(help->globalPos(), describe(frame_at(help->pos().y())), this);
        return true;
    }
    return QWidget::event(event);
}

}  // namespace moorhaze::desktop
