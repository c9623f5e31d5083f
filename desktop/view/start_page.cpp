// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/view/start_page.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QLocale>
#include <QMessageBox>
#include <QPainter>
#include <QPushButton>
#include <QVBoxLayout>
#include <algorithm>

#include "desktop/session/projects/recent_projects.h"
#include "desktop/session/work/text.h"
#include "desktop/view/commands.h"
#include "desktop/view/row_list.h"
#include "desktop/view/theme.h"

namespace moorhaze::desktop {
namespace {

constexpr int kOldDays = 30;
constexpr QSize kPicture(72, 48);
constexpr std::size_t kShown = 12;
constexpr int kBeginningWidth = 390, kRecentWidth = 370;

/// The picture filling its place; a plain one where there is none.
QPixmap picture_of(const QImage& picture) {
    QPixmap place(kPicture * 2);
    place.fill(Theme::current().ground);
    if (!picture.isNull()) {
        QPainter painter(&place);
        painter.setRenderHint(QPainter::SmoothPixmapTransform);
        const QSize size = picture.size().scaled(place.size(), Qt::KeepAspectRatioByExpanding);
        painter.drawImage(
            QRect(QPoint((place.width() - size.width()) / 2, (place.height() - size.height()) / 2), size),
            picture);
    }
    return place;
}

QString when(const QDateTime& saved) {
    const qint64 days = saved.date().daysTo(QDate::currentDate());
    const QString time = saved.time().toString(QStringLiteral("HH:mm"));
    return days == 0   ? StartPage::tr("today, %1").arg(time)
           : days == 1 ? StartPage::tr("yesterday, %1").arg(time)
                       : QLocale().toString(saved.date(), QLocale::ShortFormat);
}

QString size_in_words(qint64 bytes) {
    return QLocale().formattedDataSize(bytes, bytes < 10'000'000 ? 1 : 0, QLocale::DataSizeSIFormat);
}

}  // namespace

StartPage::StartPage(Commands& commands, RecentProjects& recent, QWidget* parent)
    : QWidget(parent), recent_(recent) {
    setObjectName(QStringLiteral("emptyState"));
    setAttribute(Qt::WA_StyledBackground);
    auto* columns = new QHBoxLayout(this);
    columns->setContentsMargins(0, 0, 0, 0);
    columns->setSpacing(0);
    columns->addWidget(make_beginning(commands));
    columns->addWidget(make_recent());
    connect(&recent_, &RecentProjects::changed, this, [this] {
        if (isVisible()) refresh();
    });
    recent_part_->hide();  // until it is shown, and knows of some
}

QWidget* StartPage::make_beginning(Commands& commands) {
    auto* part = new QWidget(this);
    part->setFixedWidth(with_text(kBeginningWidth));
    auto* rows = new QVBoxLayout(part);
    rows->setContentsMargins(32, 26, 32, 26);
    rows->setSpacing(10);
    auto* title = new QLabel(tr("From many slices of focus, one sharp picture"), part);
    title->setProperty("role", "title");
    title->setWordWrap(true);
    auto* text =
        new QLabel(tr("Drop the folder with the frames of one series here, near to far or far to near. "
                      "The line at the left then shows how sharp each frame is, and how deep."),
                   part);
    text->setWordWrap(true);
    auto* demo = commands.button(QStringLiteral("open-demo"), tr("Open the demo"), part);
    demo->setObjectName(QStringLiteral("openDemo"));
    demo->setProperty("role", "next");
    if (auto* hint = demo->findChild<QLabel*>(QStringLiteral("keyHint")))
        hint->setStyleSheet(
            QStringLiteral("font-size: 11px; color: %1;").arg(Theme::current().on_heather.name()));
    rows->addWidget(title);
    rows->addWidget(text);
    rows->addStretch();
    rows->addWidget(demo);
    rows->addWidget(commands.button(QStringLiteral("open-folder"), tr("Open a folder"), part));
    rows->addWidget(commands.button(QStringLiteral("open-project"), tr("Open a project"), part));
    return part;
}

QWidget* StartPage::make_recent() {
    recent_part_ = new QWidget(this);
    recent_part_->setFixedWidth(with_text(kRecentWidth));
    auto* rows = new QVBoxLayout(recent_part_);
    rows->setContentsMargins(0, 26, 24, 26);
    rows->setSpacing(8);
    auto* heading = new QLabel(tr("Worked on lately"), recent_part_);
    heading->setProperty("role", "heading");
    list_ =
        new RowList(QStringLiteral("recentProjects"), heading->text(), {.picture = kPicture}, recent_part_);
    list_->setTextElideMode(Qt::ElideMiddle);
    list_->setToolTip(tr("Click, or Return, goes on with a project where it was left"));
    old_text_ = new QLabel(recent_part_);
    old_text_->setProperty("role", "quiet");
    old_text_->setWordWrap(true);
    remove_ = new QPushButton(tr("Remove old ones..."), recent_part_);
    remove_->setObjectName(QStringLiteral("removeOld"));
    remove_->setToolTip(
        tr("Projects that nobody kept and nobody opened for %1 days; you are asked first").arg(kOldDays));
    rows->addWidget(heading);
    rows->addWidget(list_, 1);
    rows->addWidget(old_text_);
    rows->addWidget(remove_);
    const auto open = [this](int row) { emit project_chosen(list_->row(row).key); };
    connect(list_, &RowList::pressed_on, this, open);
    connect(list_, &RowList::taken, this, open);
    connect(remove_, &QPushButton::clicked, this, &StartPage::ask_to_remove);
    return recent_part_;
}

void StartPage::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    recent_.look();
    refresh();
}

void StartPage::refresh() {
    const auto projects = recent_.list();
    std::vector<ListRow> rows;
    qint64 bytes = 0;
    int unsaved = 0;
    for (const RecentProject& own : projects) {
        if (own.is_unsaved) bytes += own.bytes, ++unsaved;
        if (rows.size() == kShown) continue;
        rows.push_back({.key = text(own.file.string()),
                        .words = tr("%1\n%2 · %3%4")
                                     .arg(own.name, when(own.saved), size_in_words(own.bytes),
                                          own.is_unsaved ? tr(" · not kept") : QString()),
                        .tip = text(own.file.parent_path().string()),
                        .picture = picture_of(own.picture)});
    }
    list_->set_rows(std::move(rows));
    old_text_->setText(
        unsaved == 0 ? QString() : tr("%1 not kept anywhere yet, %2").arg(unsaved).arg(size_in_words(bytes)));
    old_text_->setVisible(unsaved > 0);
    const QDateTime since = QDateTime::currentDateTime().addDays(-kOldDays);
    remove_->setVisible(std::any_of(projects.begin(), projects.end(), [&](const RecentProject& own) {
        return own.is_unsaved && own.saved < since;
    }));
    recent_part_->setVisible(!projects.empty());
    setFixedSize(with_text(kBeginningWidth + (projects.empty() ? 0 : kRecentWidth)),
                 with_text(projects.empty() ? 290 : 360));
}

void StartPage::ask_to_remove() {
    const auto old = recent_.unsaved_older_than(kOldDays);
    if (old.empty()) return;
    QStringList names;
    qint64 bytes = 0;
    for (const RecentProject& own : old) {
        names << tr("%1 (%2)").arg(own.name, QLocale().toString(own.saved.date(), QLocale::ShortFormat));
        bytes += own.bytes;
    }
    QMessageBox box(QMessageBox::Question, tr("Remove old projects"),
                    tr("Remove %1 for good? It frees %2; the frames themselves stay.\n\n%3")
                        .arg(tr("%1 projects that nobody kept").arg(old.size()), size_in_words(bytes),
                             names.join(QStringLiteral("\n"))),
                    QMessageBox::NoButton, this);
    auto* remove = box.addButton(tr("Remove"), QMessageBox::DestructiveRole);
    box.setDefaultButton(box.addButton(tr("Leave them"), QMessageBox::RejectRole));
    box.exec();
    if (box.clickedButton() == remove) recent_.remove(old);
}

}  // namespace moorhaze::desktop
