// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/view/path_bar.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>

#include "desktop/view/theme.h"

namespace moorhaze::desktop {

PathBar::PathBar(QWidget* parent) : QWidget(parent) {
    setFixedHeight(with_text(44));
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("Path of stages"));
    setToolTip(tr("The stages of the job, with their state. Alt+1 to Alt+6 go there."));
}

QString PathBar::name(Stage stage) {
    static const char* const names[] = {QT_TR_NOOP("Plan"),  QT_TR_NOOP("Cull"), QT_TR_NOOP("Align"),
                                        QT_TR_NOOP("Merge"), QT_TR_NOOP("Mend"), QT_TR_NOOP("Finish")};
    return tr(names[int(stage)]);
}

void PathBar::set_here(Stage stage) {
    here_ = stage;
    setAccessibleDescription(tr("here: %1").arg(name(stage)));
    update();
}

void PathBar::set_waymark(Stage stage, const Waymark& waymark) {
    waymarks_[std::size_t(stage)] = waymark;
    update();
}

QRectF PathBar::slot(int index) const {
    const double wide = double(width()) / kStageCount;
    return {index * wide, 0, wide, double(height())};
}

int PathBar::index_at(double x) const {
    return std::clamp(int(x * kStageCount / std::max(1, width())), 0, kStageCount - 1);
}

void PathBar::paintEvent(QPaintEvent*) {
    const Theme& theme = Theme::current();
    QPainter painter(this);
    painter.fillRect(rect(), theme.ground);
    painter.setRenderHint(QPainter::Antialiasing);
    const double y = height() / 2.0;
    double path_from = -1;
    for (int i = 0; i < kStageCount; ++i) {
        const Waymark& mark = waymarks_[std::size_t(i)];
        const bool here = int(here_) == i;
        const QFont name_font = theme_font(13, here), state_font = theme_font(11);
        const QString title = name(Stage(i));
        const double name_wide = QFontMetricsF(name_font).horizontalAdvance(title);
        const QRectF box = slot(i);
        const double text_room = box.width() - 18 - 24 - name_wide - 8;
        const QString state =
            QFontMetricsF(state_font).elidedText(mark.state, Qt::ElideRight, std::max(0.0, text_room));
        const double state_wide =
            state.isEmpty() ? 0 : QFontMetricsF(state_font).horizontalAdvance(state) + 8;
        const double left = box.left() + 18;
        if (path_from >= 0 && left - 10 > path_from + 10) {
            painter.setPen(QPen(theme.quiet, 1, Qt::DotLine));
            painter.drawLine(QPointF(path_from + 10, y), QPointF(left - 10, y));
        }
        if (i == hovered_ && !here) {
            painter.setPen(Qt::NoPen);
            painter.setBrush(theme.well);
            painter.drawRoundedRect(QRectF(left - 8, y - 15, name_wide + state_wide + 36, 30), 4, 4);
        }
        // A stone: broad below, narrower above.
        QPainterPath stone;
        stone.moveTo(left + 3.5, y - 7);
        stone.lineTo(left + 10.5, y - 7);
        stone.lineTo(left + 14, y + 7);
        stone.lineTo(left, y + 7);
        stone.closeSubpath();
        painter.fillPath(stone, here ? theme.heather_light : mark.done ? theme.lichen : theme.line);
        if (here) {
            painter.setPen(QPen(theme.heather_light, 2));
            painter.drawLine(QPointF(left, y + 14), QPointF(left + 22 + name_wide, y + 14));
        }
        painter.setFont(name_font);
        painter.setPen(theme.text);
        painter.drawText(QRectF(left + 22, 0, name_wide + 4, height()), Qt::AlignVCenter, title);
        if (!state.isEmpty()) {
            painter.setFont(state_font);
            painter.setPen(mark.warning ? theme.gorse : theme.quiet);
            painter.drawText(QRectF(left + 22 + name_wide + 8, 0, state_wide + 2, height() + 2),
                             Qt::AlignVCenter, state);
        }
        path_from = left + 22 + name_wide + state_wide;
    }
    if (hasFocus()) {
        painter.setPen(theme.heather_light);
        painter.setBrush(Qt::NoBrush);
        painter.drawRect(rect().adjusted(0, 0, -1, -1));
    }
}

void PathBar::mousePressEvent(QMouseEvent* event) {
    if (event->button() == Qt::LeftButton) emit stage_chosen(Stage(index_at(event->position().x())));
}

void PathBar::mouseMoveEvent(QMouseEvent* event) {
    hovered_ = index_at(event->position().x());
    setCursor(Qt::PointingHandCursor);
    update();
}

void PathBar::leaveEvent(QEvent*) {
    hovered_ = -1;
    update();
}

void PathBar::keyPressEvent(QKeyEvent* event) {
    const int step = event->key() == Qt::Key_Right ? 1 : event->key() == Qt::Key_Left ? -1 : 0;
    if (step == 0) return QWidget::keyPressEvent(event);
    emit stage_chosen(Stage(std::clamp(int(here_) + step, 0, kStageCount - 1)));
}

}  // namespace moorhaze::desktop
