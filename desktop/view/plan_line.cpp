// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/view/plan_line.h"

#include <QHelpEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QToolTip>
#include <algorithm>
#include <cmath>

#include "desktop/view/depth_line.h"
#include "desktop/view/theme.h"

namespace moorhaze::desktop {
namespace {

constexpr double kPlanTop = 40, kPlanBottom = 40, kPlanLeft = 22, kColumn = 22, kBetween = 3;

/// A round number of mm between scale marks that stand at least so far apart.
double scale_step(double mm_per_px, double least_px) {
    const double least = mm_per_px * least_px;
    double step = std::pow(10, std::floor(std::log10(std::max(1e-6, least))));
    for (const double factor : {1.0, 2.0, 5.0, 10.0})
        if (step * factor >= least) return step * factor;
    return step * 10;
}

}  // namespace

PlanLine::PlanLine(SessionBase& base, ShootDesk& desk, QWidget* parent)
    : QWidget(parent), base_(base), desk_(desk) {
    setFixedWidth(with_text(104));
    setMouseTracking(true);
    setAccessibleName(tr("Depth line of the plan"));
    auto repaint = [this] { update(); };
    connect(&desk_, &ShootDesk::setup_changed, this, repaint);
    connect(&desk_, &ShootDesk::state_changed, this, repaint);
    connect(&desk_, &ShootDesk::progress_changed, this, repaint);
    connect(&base_.standpoint, &Standpoint::changed, this, repaint);
}

const std::vector<double>& PlanLine::shares() const {
    static const std::vector<double> none;
    const Looked* looked = base_.products.looked();
    return looked && desk_.run().is_joining() ? looked->whole.share : none;
}

double PlanLine::origin_mm() const {
    return desk_.near_mark_mm().value_or(0);
}

std::pair<double, double> PlanLine::shown_range() const {
    const ShootSetup& setup = desk_.setup();
    double low = 0, high = std::max(0.1, setup.subject_depth_mm);
    if (desk_.plan().is_possible() && !desk_.plan().steps.frames.empty()) {
        low = std::min(low, desk_.plan().steps.frames.front().near_mm);
        const double last = desk_.plan().steps.frames.back().far_mm;
        if (std::isfinite(last)) high = std::max(high, last);
    }
    if (desk_.state() != ShootState::off && desk_.state() != ShootState::connecting) {
        low = std::min(low, desk_.position_mm() - origin_mm());
        high = std::max(high, desk_.position_mm() - origin_mm());
    }
    const double room = 0.03 * (high - low);
    return {low - room, high + room};
}

double PlanLine::y_of(double depth_mm) const {
    const auto [low, high] = shown_range();
    return height() - kPlanBottom - (depth_mm - low) / (high - low) * (height() - kPlanTop - kPlanBottom);
}

double PlanLine::depth_at(double y) const {
    const auto [low, high] = shown_range();
    return low + (height() - kPlanBottom - y) / (height() - kPlanTop - kPlanBottom) * (high - low);
}

QRectF PlanLine::zone_rect(int frame) const {
    const PlannedFrame& planned = desk_.plan().steps.frames[std::size_t(frame)];
    const double top = y_of(std::isfinite(planned.far_mm) ? planned.far_mm : depth_at(kPlanTop)),
                 bottom = y_of(planned.near_mm);
    return {kPlanLeft + (frame % 2) * (kColumn + kBetween), top, kColumn, std::max(1.5, bottom - top)};
}

int PlanLine::frame_at(QPointF place) const {
    if (!desk_.plan().is_possible()) return -1;
    const auto& frames = desk_.plan().steps.frames;
    int best = -1;
    double least = 1e9;
    for (int i = 0; i < int(frames.size()); ++i) {
        const QRectF box = zone_rect(i).adjusted(-2, -2, 2, 2);
        const double off = std::abs(box.center().y() - place.y());
        if (box.contains(place) && off < least) least = off, best = i;
    }
    return best;
}

QString PlanLine::describe(int frame) const {
    const PlannedFrame& planned = desk_.plan().steps.frames[std::size_t(frame)];
    const auto& shot = desk_.run().stations_shot();
    QString text = tr("Frame %1: sharp from %2 to %3 mm")
                       .arg(frame + 1)
                       .arg(planned.near_mm, 0, 'f', 2)
                       .arg(planned.far_mm, 0, 'f', 2);
    const bool taken = frame < int(shot.size()) && shot[std::size_t(frame)];
    if (taken && frame < int(shares().size()))
        text +=
            tr(", shot, sharpest in %1 % of the picture").arg(100 * shares()[std::size_t(frame)], 0, 'f', 1);
    else
        text += taken ? tr(", shot") : tr(", planned");
    for (const ShootTrouble& trouble : desk_.run().troubles())
        if (trouble.view == desk_.run().view() && trouble.station == frame) text += "\n" + trouble.what;
    return text;
}

void PlanLine::paintEvent(QPaintEvent*) {
    const Theme& theme = Theme::current();
    QPainter painter(this);
    paint_depth_ground(painter, rect());
    const ShootSetup& setup = desk_.setup();
    const double depth = std::max(0.0, setup.subject_depth_mm);

    // The subject, and a scale in mm at the right.
    const QRectF body(kPlanLeft - 4, y_of(depth), 2 * kColumn + kBetween + 8, y_of(0) - y_of(depth));
    painter.setPen(Qt::NoPen);
    painter.setBrush(theme.raised);
    painter.drawRoundedRect(body, 3, 3);
    painter.setFont(theme_font(10));
    const auto [low, high] = shown_range();
    const double step = scale_step((high - low) / std::max(1.0, height() - kPlanTop - kPlanBottom), 46);
    for (double at = std::ceil(low / step) * step; at <= high; at += step) {
        const double y = y_of(at);
        // The marks' handles stand where their numbers would.
        bool covered = false;
        for (const auto& mark : {desk_.near_mark_mm(), desk_.far_mark_mm()})
            covered = covered || (mark && std::abs(y_of(*mark - origin_mm()) - y) < 12);
        if (covered) continue;
        painter.setPen(QPen(theme.quiet, 1));
        painter.drawLine(QPointF(body.right() + 1, y), QPointF(body.right() + 4, y));
        painter.drawText(QRectF(body.right() + 5, y - 8, width() - body.right() - 6, 16),
                         Qt::AlignVCenter | Qt::AlignLeft,
                         QString::number(std::abs(at) < 1e-9 ? 0 : at, 'g', 3));
    }

    if (desk_.plan().is_possible()) {
        const auto& frames = desk_.plan().steps.frames;
        const auto& shot = desk_.run().stations_shot();
        const auto& share = shares();
        const bool of_this_run = !shot.empty() && shot.size() == frames.size();
        double longest = 0;
        if (of_this_run)
            for (const double part : share) longest = std::max(longest, part);
        // Depth in nobody's zone.
        double covered = -setup.front_margin_mm;
        auto hatch = [&](double from, double to) {
            if (to - from <= 1e-6) return;
            painter.setPen(QPen(theme.gorse, 1, Qt::DashLine));
            painter.setBrush(QBrush(theme.gorse, Qt::BDiagPattern));
            painter.drawRect(
                QRectF(kPlanLeft - 2, y_of(to), 2 * kColumn + kBetween + 4, y_of(from) - y_of(to)));
        };
        for (const PlannedFrame& frame : frames) {
            hatch(covered, std::min(frame.near_mm, depth + setup.behind_margin_mm));
            covered = std::max(covered, frame.far_mm);
        }
        hatch(covered, depth + setup.behind_margin_mm);
        for (int i = 0; i < int(frames.size()); ++i) {
            QRectF box = zone_rect(i);
            QColor colour = depth_colour(frames.size() > 1 ? double(i) / double(frames.size() - 1) : 0);
            if (!theme.dark) colour = colour.darker(150);
            const double round = std::min(2.0, box.height() / 3);
            const bool taken = of_this_run && shot[std::size_t(i)];
            painter.setPen(QPen(colour, 1));
            painter.setBrush(Qt::NoBrush);
            painter.drawRoundedRect(box.adjusted(0.5, 0.5, -0.5, -0.5), round, round);
            if (taken) {
                const double part =
                    i < int(share.size()) && longest > 0 ? share[std::size_t(i)] / longest : 0;
                box.setWidth(kColumn * (0.25 + 0.75 * part));
                painter.fillRect(box, colour);
            }
            if (of_this_run && i == base_.standpoint.place() && taken) {
                painter.setPen(QPen(theme.heather_light, 1.5));
                painter.drawRoundedRect(zone_rect(i).adjusted(-2, -1.5, 2, 1.5), 2, 2);
            }
            for (const ShootTrouble& trouble : desk_.run().troubles())
                if (trouble.view == desk_.run().view() && trouble.station == i) {
                    const QPointF at(zone_rect(i).center());
                    QPainterPath mark;
                    mark.moveTo(at.x(), at.y() - 6);
                    mark.lineTo(at.x() + 6.5, at.y() + 5);
                    mark.lineTo(at.x() - 6.5, at.y() + 5);
                    mark.closeSubpath();
                    painter.setPen(QPen(theme.well, 1));
                    painter.setBrush(theme.gorse);
                    painter.drawPath(mark);
                }
        }
    }

    for (const auto& mark : {desk_.near_mark_mm(), desk_.far_mark_mm()}) {
        if (!mark) continue;
        const double y = y_of(*mark - origin_mm());
        painter.setPen(QPen(theme.heather_light, 1.5));
        painter.drawLine(QPointF(4, y), QPointF(width() - 14, y));
        painter.setBrush(theme.heather_light);
        painter.drawRoundedRect(QRectF(width() - 14, y - 5, 12, 10), 3, 3);
    }
    if (desk_.state() != ShootState::off && desk_.state() != ShootState::connecting) {
        QPainterPath arrow;
        const double y = y_of(desk_.position_mm() - origin_mm());
        arrow.moveTo(3, y - 6);
        arrow.lineTo(14, y);
        arrow.lineTo(3, y + 6);
        arrow.closeSubpath();
        painter.fillPath(arrow, theme.heather_light);
    }
}

void PlanLine::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return;
    const int frame = frame_at(event->position());
    const auto& shot = desk_.run().stations_shot();
    if (frame >= 0 && frame < int(shot.size()) && shot[std::size_t(frame)]) return emit frame_chosen(frame);
    emit drive_asked(depth_at(event->position().y()) + origin_mm());
}

void PlanLine::wheelEvent(QWheelEvent* event) {
    const auto [low, high] = shown_range();
    emit drive_asked(desk_.position_mm() + event->angleDelta().y() / 120.0 * (high - low) / 100);
    event->accept();
}

bool PlanLine::event(QEvent* event) {
    if (event->type() == QEvent::ToolTip) {
        const auto* help = static_cast<QHelpEvent*>(event);
        const int frame = frame_at(help->pos());
        QToolTip::showText(help->globalPos(),
                           frame >= 0
                               ? describe(frame)
                               : tr("%1 mm from the nearest point").arg(depth_at(help->pos().y()), 0, 'f', 1),
                           this);
        return true;
    }
    return QWidget::event(event);
}

}  // namespace moorhaze::desktop
