// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/view/bars.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QProgressBar>
#include <QTimer>
#include <QToolButton>
#include <cmath>

#include "desktop/session/job_runner.h"
#include "desktop/view/theme.h"

namespace moorhaze::desktop {

JobBar::JobBar(JobRunner& jobs, QWidget* parent)
    : QWidget(parent),
      jobs_(jobs),
      text_(new QLabel(this)),
      progress_(new QProgressBar(this)),
      stop_(new QToolButton(this)) {
    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(0, 0, 10, 0);
    layout->setSpacing(8);
    text_->setProperty("role", "quiet");
    progress_->setFixedWidth(110);
    progress_->setTextVisible(false);
    progress_->setRange(0, 1000);
    progress_->setAccessibleName(tr("Progress"));
    stop_->setIcon(theme_icon(QStringLiteral("x"), Theme::current().text));
    stop_->setIconSize({14, 14});
    stop_->setFixedSize(22, 22);
    stop_->setObjectName(QStringLiteral("stopJob"));
    stop_->setAccessibleName(tr("Stop the job"));
    stop_->setToolTip(tr("Stop what is running; nothing that was made is lost (Esc)"));
    layout->addWidget(text_);
    layout->addWidget(progress_);
    layout->addWidget(stop_);
    connect(stop_, &QToolButton::clicked, &jobs_, &JobRunner::cancel);
    connect(&jobs_, &JobRunner::changed, this, &JobBar::refresh);
    refresh();
}

void JobBar::set_series_name(const QString& name, const QString& where) {
    text_->setToolTip(where);
    series_name_ = name;
    refresh();
}

void JobBar::refresh() {
    QString text = series_name_;
    if (jobs_.busy()) {
        const QString name = series_name_.isEmpty() ? QString() : series_name_ + QStringLiteral("   ");
        text = tr("%1%2 %3 %").arg(name, jobs_.title()).arg(int(100 * jobs_.fraction()));
        const double left = jobs_.seconds_left();
        if (left >= 60)
            text += tr(", %1 min left").arg(int(std::ceil(left / 60)));
        else if (left >= 0)
            text += tr(", %1 s left").arg(int(std::ceil(left)));
        progress_->setValue(int(1000 * jobs_.fraction()));
    }
    text_->setText(text);
    progress_->setVisible(jobs_.busy());
    stop_->setVisible(jobs_.busy());
    // The menu bar gives its corner what it asks for when its size hint changes.
    adjustSize();
    updateGeometry();
}

NoticeBar::NoticeBar(QWidget* parent)
    : QWidget(parent), icon_(new QLabel(this)), text_(new QLabel(this)), leaving_(new QTimer(this)) {
    setObjectName(QStringLiteral("notice"));
    setAttribute(Qt::WA_StyledBackground);
    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(12, 6, 8, 6);
    layout->setSpacing(10);
    text_->setWordWrap(true);
    text_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    auto* close = new QToolButton(this);
    close->setIcon(theme_icon(QStringLiteral("x"), Theme::current().text));
    close->setIconSize({14, 14});
    close->setAccessibleName(tr("Close the message"));
    close->setToolTip(tr("Close the message (Esc)"));
    layout->addWidget(icon_, 0, Qt::AlignTop);
    layout->addWidget(text_, 1);
    layout->addWidget(close, 0, Qt::AlignTop);
    connect(close, &QToolButton::clicked, this, &QWidget::hide);
    leaving_->setSingleShot(true);
    connect(leaving_, &QTimer::timeout, this, &NoticeBar::leave_when_read);
    hide();
}

void NoticeBar::show_text(const QString& text, bool is_error) {
    is_error_ = is_error;
    const Theme& theme = Theme::current();
    icon_->setPixmap(theme_pixmap(is_error ? QStringLiteral("circle-alert") : QStringLiteral("info"),
                                  is_error ? theme.rowan : theme.quiet, 16, devicePixelRatioF()));
    icon_->setAccessibleName(is_error ? tr("Error") : tr("Note"));
    text_->setText(text);
    show();
    is_error ? leaving_->stop() : leaving_->start(reading_ms(text));
}

int NoticeBar::reading_ms(const QString& text) {
    // About 15 characters a second, and time to notice it (common practice for subtitles).
    return 3000 + int(text.size()) * 1000 / 15;
}

void NoticeBar::leave_when_read() {
    if (underMouse())
        leaving_->start(1000);
    else
        hide();
}

QString NoticeBar::text() const {
    return text_->text();
}

}  // namespace moorhaze::desktop
