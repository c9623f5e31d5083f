// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/view/bars.h"

#include <QAccessible>
#include <QEvent>
#include <QHBoxLayout>
#include <QLabel>
#include <QProgressBar>
#include <QTimer>
#include <QToolButton>
#include <algorithm>
#include <cmath>

#include "desktop/session/work/job_runner.h"
#include "desktop/view/theme.h"

namespace moorhaze::desktop {
namespace {

constexpr int kLongestName_px = 260;

}  // namespace

JobBar::JobBar(const QList<JobRunner*>& lanes, QWidget* parent)
    : QWidget(parent),
      lanes_(lanes),
      unsaved_(new QLabel(this)),
      text_(new QLabel(this)),
      progress_(new QProgressBar(this)),
      stop_(new QToolButton(this)) {
    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(0, 0, 10, 0);
    layout->setSpacing(8);
    text_->setProperty("role", "quiet");
    progress_->setFixedWidth(with_text(110));
    progress_->setTextVisible(false);
    progress_->setRange(0, 1000);
    progress_->setAccessibleName(tr("Progress"));
    stop_->setIcon(theme_icon(QStringLiteral("x"), Theme::current().text));
    stop_->setIconSize({14, 14});
    stop_->setFixedSize(22, 22);
    stop_->setObjectName(QStringLiteral("stopJob"));
    stop_->setAccessibleName(tr("Stop the job"));
    stop_->setToolTip(tr("Stop what is running; nothing that was made is lost (Esc)"));
    unsaved_->setObjectName(QStringLiteral("unsaved"));
    unsaved_->setStyleSheet(
        QStringLiteral("color: %1; font-weight: 600;").arg(Theme::current().rowan.name()));
    layout->addWidget(unsaved_);
    layout->addWidget(text_);
    layout->addWidget(progress_);
    layout->addWidget(stop_);
    connect(stop_, &QToolButton::clicked, this, [this] {
        if (JobRunner* lane = working()) lane->cancel();
    });
    for (JobRunner* lane : lanes_) connect(lane, &JobRunner::changed, this, &JobBar::refresh);
    refresh();
}

JobRunner* JobBar::working() const {
    const auto found =
        std::find_if(lanes_.begin(), lanes_.end(), [](const JobRunner* lane) { return lane->busy(); });
    return found == lanes_.end() ? nullptr : *found;
}

void JobBar::set_series_name(const QString& name, const QString& where, const QString& unsaved) {
    text_->setToolTip(name + (where.isEmpty() ? QString() : QStringLiteral("\n") + where));
    unsaved_->setToolTip(where);
    unsaved_->setText(unsaved);
    unsaved_->setVisible(!unsaved.isEmpty());
    // A long name must not make the window wider than the screen.
    series_name_ = fontMetrics().elidedText(name, Qt::ElideMiddle, kLongestName_px);
    refresh();
}

void JobBar::refresh() {
    QString text = series_name_;
    const JobRunner* lane = working();
    if (lane) {
        const QString name = series_name_.isEmpty() ? QString() : series_name_ + QStringLiteral("   ");
        text = tr("%1%2 %3 %").arg(name, lane->title()).arg(int(100 * lane->fraction()));
        const double left = lane->seconds_left();
        if (left >= 60)
            text += tr(", %1 min left").arg(int(std::ceil(left / 60)));
        else if (left >= 0)
            text += tr(", %1 s left").arg(int(std::ceil(left)));
        progress_->setValue(int(1000 * lane->fraction()));
        const auto others =
            std::count_if(lanes_.begin(), lanes_.end(), [](const JobRunner* own) { return own->busy(); }) - 1;
        if (others > 0) text += tr(", and %1 more").arg(others);
    }
    text_->setText(text);
    progress_->setVisible(lane != nullptr);
    stop_->setVisible(lane != nullptr);
    // The menu bar gives its corner what it asks for when its size hint changes.
    adjustSize();
    updateGeometry();
}

NoticeBar::NoticeBar(QWidget* over)
    : QWidget(over),
      icon_(new QLabel(this)),
      text_(new QLabel(this)),
      more_(new QLabel(this)),
      leaving_(new QTimer(this)) {
    setObjectName(QStringLiteral("notice"));
    setAttribute(Qt::WA_StyledBackground);
    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(12, 6, 8, 6);
    layout->setSpacing(10);
    text_->setWordWrap(true);
    text_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    more_->setProperty("role", "quiet");
    auto* close = new QToolButton(this);
    close->setIcon(theme_icon(QStringLiteral("x"), Theme::current().text));
    close->setIconSize({14, 14});
    close->setAccessibleName(tr("Close the message"));
    close->setToolTip(tr("Close the message (Esc)"));
    layout->addWidget(icon_, 0, Qt::AlignTop);
    layout->addWidget(text_, 1);
    layout->addWidget(more_, 0, Qt::AlignTop);
    layout->addWidget(close, 0, Qt::AlignTop);
    connect(close, &QToolButton::clicked, this, &NoticeBar::close_shown);
    leaving_->setSingleShot(true);
    connect(leaving_, &QTimer::timeout, this, &NoticeBar::leave_when_read);
    over->installEventFilter(this);
    hide();
}

bool NoticeBar::eventFilter(QObject* watched, QEvent* event) {
    if (event->type() == QEvent::Resize && isVisible()) lie_over();
    return QWidget::eventFilter(watched, event);
}

void NoticeBar::lie_over() {
    const int width = parentWidget()->width();
    // The size hint of a text that wraps is that of a narrow column.
    setGeometry(0, 0, width, layout()->totalHeightForWidth(width));
    raise();
}

void NoticeBar::show_text(const QString& text, bool is_error) {
    const bool again = isVisible() && text == shown_ && is_error == is_error_;
    times_ = again ? times_ + 1 : 1;
    if (isVisible() && is_error_ && !again) {
        // It can be read in Help, What was said; what went wrong is not covered by what needs no answer.
        if (!is_error) return;
        unread_.removeAll(text);
        unread_ << shown_;
    }
    show_now(text, is_error);
}

void NoticeBar::show_now(const QString& text, bool is_error) {
    is_error_ = is_error;
    shown_ = text;
    const Theme& theme = Theme::current();
    icon_->setPixmap(theme_pixmap(is_error ? QStringLiteral("circle-alert") : QStringLiteral("info"),
                                  is_error ? theme.rowan : theme.quiet, 16, devicePixelRatioF()));
    icon_->setAccessibleName(is_error ? tr("Error") : tr("Note"));
    text_->setText(times_ > 1 ? tr("%1 (%2 times)").arg(text).arg(times_) : text);
    more_->setText(tr("%1 more").arg(unread_.size()));
    more_->setVisible(!unread_.isEmpty());
    setAccessibleName(text);
    show();
    lie_over();
    // Screen readers say it without the focus going there.
    QAccessibleEvent told(this, QAccessible::Alert);
    QAccessible::updateAccessibility(&told);
    is_error ? leaving_->stop() : leaving_->start(reading_ms(text));
}

void NoticeBar::close_shown() {
    times_ = 1;
    if (unread_.isEmpty()) return hide();
    show_now(unread_.takeLast(), true);
}

void NoticeBar::close_all() {
    unread_.clear();
    hide();
}

int NoticeBar::reading_ms(const QString& text) {
    // About 15 characters a second, and time to notice it (common practice for subtitles).
    return 3000 + int(text.size()) * 1000 / 15;
}

void NoticeBar::leave_when_read() {
    if (underMouse())
        leaving_->start(1000);
    else
        close_shown();
}

}  // namespace moorhaze::desktop
