// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/tray/sets_page.h"

#include <QCheckBox>
#include <QDesktopServices>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPainter>
#include <QPushButton>
#include <QSignalBlocker>
#include <QUrl>
#include <QVBoxLayout>
#include <algorithm>

#include "core/sets/outcome.h"
#include "desktop/session/work/text.h"
#include "desktop/tray/tray_parts.h"
#include "desktop/view/commands.h"
#include "desktop/view/theme.h"

namespace moorhaze::desktop {
namespace {

constexpr int kRow = 58;
constexpr QSize kViewIcon(60, 40);

/// How a series stands, in words.
QString state_of(const SetEntry& entry) {
    if (!entry.step.isEmpty()) return entry.step;
    const SeriesRecord& own = entry.record;
    switch (own.state) {
        case SeriesState::waiting:
        case SeriesState::writing:
            return SetRun::tr("%1 frames").arg(entry.frames);
        case SeriesState::done:
            return SetRun::tr("done, %1 of %2, %3")
                .arg(own.merged)
                .arg(own.frames)
                .arg(text(duration_in_words(own.all_seconds())));
        case SeriesState::doubtful:
            return SetRun::tr("look at this: %1").arg(text(own.reasons.empty() ? "" : own.reasons[0]));
        case SeriesState::failed:
            return SetRun::tr("failed: %1").arg(text(own.reasons.empty() ? "" : own.reasons[0]));
    }
    return {};
}

QColor colour_of(const SetEntry& entry) {
    const Theme& theme = Theme::current();
    if (!entry.step.isEmpty()) return theme.heather_light;
    switch (entry.record.state) {
        case SeriesState::done:
            return theme.lichen;
        case SeriesState::doubtful:
            return theme.gorse;
        case SeriesState::failed:
            return theme.rowan;
        default:
            return theme.line;
    }
}

}  // namespace

SetsPage::SetsPage(Session& session, Commands& commands, QWidget* parent)
    : QWidget(parent), session_(session), set_(session.set_list), run_(session.set_run) {
    auto* rows = new QVBoxLayout(this);
    rows->setContentsMargins(0, 0, 0, 0);
    rows->setSpacing(6);
    const auto add_section = [&](const QString& words) {
        auto* label = new QLabel(words, this);
        label->setProperty("role", "section");
        rows->addWidget(label);
    };
    add_section(tr("Series of the set"));
    series_ =
        new RowList(QStringLiteral("setSeries"), tr("Series of the set"),
                    {.picture = kViewIcon, .row_height = kRow, .most_rows = 3, .breaks_lines = true}, this);
    series_->setToolTip(
        tr("Tick what shall be done. Double-click opens a series; one to look at opens with "
           "all that was done"));
    rows->addWidget(series_);

    state_ = new QLabel(this);
    state_->setObjectName(QStringLiteral("setState"));
    state_->setWordWrap(true);
    rows->addWidget(state_);
    table_ = make_button(tr("Table"), {}, tr("A page with pictures, times and remarks"), this);
    table_->setObjectName(QStringLiteral("setTable"));
    // A turntable is not watched for, and nothing else has views.
    watch_ = commands.button(QStringLiteral("watch-set"), tr("Watch..."), this);
    views_ = commands.button(QStringLiteral("show-views"), tr("All views"), this);
    views_->setObjectName(QStringLiteral("setViews"));
    auto* doing = side_by_side(watch_, table_);
    doing->insertWidget(1, views_, 1);
    rows->addLayout(doing);
    add_section(tr("Pictures go to"));
    out_ = new QLineEdit(this);
    out_->setObjectName(QStringLiteral("setOut"));
    out_->setAccessibleName(tr("Pictures go to"));
    out_->setPlaceholderText(tr("a folder, or folder/{article}-{number}"));
    out_->setToolTip(
        tr("A folder; or with names: folder/{article}-{number}. {series}, {method}, {date}, "
           "{size}, {frames} and {format} can stand in it, too"));
    auto* choose_out = new QPushButton(tr("\u2026"), this);
    choose_out->setAccessibleName(tr("Choose the folder"));
    choose_out->setToolTip(tr("Choose the folder"));
    choose_out->setFixedWidth(with_text(36));
    auto* out_row = new QHBoxLayout;
    out_row->addWidget(out_, 1);
    out_row->addWidget(choose_out);
    rows->addLayout(out_row);
    replaces_ = new QCheckBox(tr("Replace pictures of these names"), this);
    replaces_->setObjectName(QStringLiteral("setReplaces"));
    replaces_->setToolTip(
        tr("Otherwise a series whose pictures would fall on files that the recipe did not make is refused"));
    rows->addWidget(replaces_);
    add_section(tr("Recipe"));
    recipe_ = new QLabel(this);
    recipe_->setObjectName(QStringLiteral("recipeName"));
    recipe_->setWordWrap(true);
    rows->addWidget(recipe_);
    auto* make = commands.button(QStringLiteral("make-recipe"), tr("Make"), this);
    make->setObjectName(QStringLiteral("makeRecipe"));
    auto* take = commands.button(QStringLiteral("take-recipe"), tr("Take..."), this);
    auto* save = commands.button(QStringLiteral("save-recipe"), tr("Save..."), this);
    auto* recipe_row = new QHBoxLayout;
    recipe_row->setSpacing(6);
    recipe_row->addWidget(make, 3);
    recipe_row->addWidget(take, 2);
    recipe_row->addWidget(save, 2);
    rows->addLayout(recipe_row);
    for (std::size_t i = 0; i < parts_.size(); ++i) {
        const RecipePart part = kRecipeParts[i];
        parts_[i] = new QCheckBox(this);
        parts_[i]->setObjectName(QStringLiteral("part-%1").arg(QLatin1String(name_of(part))));
        rows->addWidget(parts_[i]);
        connect(parts_[i], &QCheckBox::clicked, this,
                [this, part](bool on) { session_.set_recipe.set_carried(part, on); });
    }
    rows->addStretch(1);

    connect(out_, &QLineEdit::editingFinished, this, [this] { run_.set_out(out_->text()); });
    connect(replaces_, &QCheckBox::clicked, this, [this](bool on) { run_.set_replaces(on); });
    connect(choose_out, &QPushButton::clicked, this, [this] {
        const QString folder = QFileDialog::getExistingDirectory(this, tr("Pictures go to"), out_->text());
        if (!folder.isEmpty()) run_.set_out(folder);
    });
    connect(table_, &QPushButton::clicked, this,
            [this] { QDesktopServices::openUrl(QUrl::fromLocalFile(run_.table())); });
    connect(series_, &RowList::tick_asked, &set_, &SetList::set_ticked);
    connect(series_, &RowList::taken, this, &SetsPage::choose);
    connect(&session_.series_thumbs, &SeriesThumbs::ready, this, &SetsPage::show_list);
    for (auto changed : {&SetList::list_changed, &SetList::ticks_changed})
        connect(&set_, changed, this, &SetsPage::show_list);
    connect(&set_, &SetList::entry_changed, this, &SetsPage::show_list);
    connect(&run_, &SetRun::changed, this, &SetsPage::refresh);
    refresh();
}

void SetsPage::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    show_list();
    refresh();
}

/// The finished picture where there is one, else the middle frame; how it stands as a bar at the left.
QPixmap SetsPage::picture_of(int place) const {
    const SetEntry& own = set_.entries()[std::size_t(place)];
    const QPixmap picture = session_.series_thumbs.find(
        {.frame = own.middle, .made = run_.small_picture_of(place), .made_of = own.record.made_of});
    QPixmap pixmap = series_->canvas(Theme::current().surround);
    QPainter painter(&pixmap);
    constexpr int kBar = 5;
    const QRect room(kBar, 0, kViewIcon.width() - kBar, kViewIcon.height());
    if (!picture.isNull()) {
        const QSize size = picture.size().scaled(room.size(), Qt::KeepAspectRatio);
        painter.setRenderHint(QPainter::SmoothPixmapTransform);
        painter.drawPixmap(QRect(room.center() - QPoint(size.width() / 2, size.height() / 2), size), picture);
    }
    painter.fillRect(0, 0, kBar, kViewIcon.height(), colour_of(own));
    return pixmap;
}

void SetsPage::show_list() {
    // Small pictures are made only where somebody looks.
    if (!isVisible()) return;
    std::vector<ListRow> rows;
    for (int place = 0; place < set_.count(); ++place) {
        const SetEntry& own = set_.entries()[std::size_t(place)];
        QStringList tip{own.name, state_of(own)};
        for (const std::string& reason : own.record.reasons) tip << text(reason);
        for (const std::string& warning : own.record.warnings) tip << text(warning);
        tip.removeDuplicates();
        rows.push_back({.key = QString::number(place),
                        .words = own.name + QLatin1Char('\n') + state_of(own),
                        .tip = tip.join(QLatin1Char('\n')),
                        .picture = picture_of(place),
                        .ticked = set_.is_ticked(place)});
    }
    series_->set_rows(std::move(rows));
}

void SetsPage::choose(int place) {
    if (place < 0) return;
    const int on_card = set_.place_on_card(place);
    if (const QString project = run_.project_of(place); !project.isEmpty())
        emit paths_chosen({project});
    else if (on_card >= 0)
        emit series_chosen(on_card);
    else {
        QStringList files;
        for (const auto& file : set_.files_of_series(place)) files << text(file.string());
        emit paths_chosen(files);
    }
}

void SetsPage::next_step() {
    if (run_.is_running())
        run_.stop();
    else
        run_.start(session_.merging.memory_mb());
}

QString SetsPage::next_step_text() const {
    if (run_.is_running()) return tr("Stop");
    const int wanted = set_.ticked();
    return wanted == 1 ? tr("Do one series") : tr("Do %1 series").arg(wanted);
}

void SetsPage::refresh() {
    if (!isVisible()) return emit changed();
    recipe_->setText(session_.set_recipe.is_there()
                         ? session_.set_recipe.name()
                         : tr("None yet: decide about one series, then make it of that; or take "
                              "one from a file."));
    for (std::size_t i = 0; i < parts_.size(); ++i) {
        const RecipePart part = kRecipeParts[i];
        const QSignalBlocker quiet(parts_[i]);
        parts_[i]->setVisible(session_.set_recipe.has_part(part));
        parts_[i]->setChecked(session_.set_recipe.carries_part(part));
        const QString words = session_.set_recipe.part_in_words(part);
        const QString line = tr("%1: %2").arg(QLatin1String(title_of(part)), words);
        parts_[i]->setText(parts_[i]->fontMetrics().elidedText(line, Qt::ElideRight, with_text(212)));
        parts_[i]->setToolTip(
            tr("%1\nUnticked, it is done as for a series that nothing was decided about").arg(line));
        parts_[i]->setEnabled(!run_.is_running());
    }
    if (!out_->hasFocus() || run_.is_running()) out_->setText(run_.out());
    const QString why = run_.is_running() ? QString() : run_.why_not();
    state_->setText(!run_.state().isEmpty() ? run_.state() : why);
    replaces_->setChecked(run_.replaces());
    replaces_->setEnabled(!run_.is_running());
    watch_->setVisible(!session_.set_recipe.turntable());
    views_->setVisible(session_.set_recipe.turntable());
    table_->setEnabled(!run_.table().isEmpty());
    emit changed();
}

}  // namespace moorhaze::desktop
