// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/tray/plan_tray.h"

#include <QButtonGroup>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>
#include <algorithm>

#include "desktop/session/document/facts.h"
#include "desktop/session/work/text.h"
#include "desktop/tray/raw_page.h"
#include "desktop/tray/sets_page.h"
#include "desktop/tray/setup_page.h"
#include "desktop/tray/shoot_page.h"
#include "desktop/view/commands.h"

namespace moorhaze::desktop {
namespace {

constexpr int kSeriesRow = 74;  ///< a picture, or three lines of text

}  // namespace

PlanTray::PlanTray(Session& session, Commands& commands, QWidget* parent)
    : Tray(tr("Plan"), parent),
      session_(session),
      commands_(commands),
      desk_(session.shoot_desk),
      switch_(new QButtonGroup(this)) {
    body()->addLayout(make_switch(switch_, QStringLiteral("planPage"),
                                  {{tr("Numbers"), tr("How many frames, which step, how long")},
                                   {tr("Shoot"), tr("Devices, live view, the run")},
                                   {tr("Bring in"), tr("Open a series that exists already")},
                                   {tr("Sets"), tr("The same recipe for many series, unattended")}},
                                  this));
    body()->addSpacing(4);
    shoot_page_ = new ShootPage(session_, this);
    sets_page_ = new SetsPage(session_, commands_, this);
    pages_ = {new SetupPage(desk_, session_.saved_setups, this), shoot_page_, make_bring_in(), sets_page_};
    for (QWidget* page : pages_) body()->addWidget(page);
    next_ = set_next(make_button(tr("Cull"), {}, tr("The usual next step"), this));
    next_->setObjectName(QStringLiteral("planNext"));
    connect(next_, &QPushButton::clicked, this, &PlanTray::next_step);
    connect(switch_, &QButtonGroup::idClicked, this, [this](int page) { show_page(Page(page)); });
    connect(shoot_page_, &ShootPage::changed, this, &PlanTray::refresh);
    connect(sets_page_, &SetsPage::changed, this, &PlanTray::refresh);
    connect(sets_page_, &SetsPage::series_chosen, this, &PlanTray::series_chosen);
    connect(sets_page_, &SetsPage::paths_chosen, this, &PlanTray::paths_chosen);
    connect(shoot_page_, &ShootPage::frame_chosen, this, [this](int station) {
        if (desk_.run().is_joining()) session_.standpoint.set_place(station);
    });
    connect(&session_.document.settling(), &Settling::settled, this, [this](const Settled& what) {
        if (what.document.card || what.document.series) show_card();
        if (what.document.selection() || what.has_product(Products::Kind::look)) refresh();
    });
    show_card();
    show_page(bring_in);
}

QWidget* PlanTray::make_bring_in() {
    auto* page = new QWidget(this);
    auto* rows = new QVBoxLayout(page);
    rows->setContentsMargins(0, 0, 0, 0);
    rows->setSpacing(6);
    auto* folder = commands_.button(QStringLiteral("open-folder"), tr("Open a folder"), page);
    auto* files = commands_.button(QStringLiteral("open-files"), tr("Open files"), page);
    auto* demo = commands_.button(QStringLiteral("open-demo"), tr("Open the demo"), page);
    for (QPushButton* button : {folder, files, demo}) rows->addWidget(button);
    auto add_text = [&](const char* role, const QString& text) {
        auto* label = new QLabel(text, page);
        label->setProperty("role", role);
        label->setWordWrap(true);
        rows->addWidget(label);
        return label;
    };
    auto* words = add_text(
        "quiet", tr("Or drop a folder or files on the window. JPEG, TIFF, PNG and camera raw, or a whole "
                    "card. Originals are only read."));
    before_series_ = {demo, words};
    series_box_ = new QWidget(page);
    auto* box = new QVBoxLayout(series_box_);
    box->setContentsMargins(0, 8, 0, 0);
    box->setSpacing(6);
    auto* heading = new QLabel(tr("Series found"), series_box_);
    heading->setProperty("role", "section");
    box->addWidget(heading);
    series_ = new RowList(
        QStringLiteral("seriesFound"), tr("Series found"),
        {.picture = {72, 48}, .row_height = kSeriesRow, .most_rows = 4, .breaks_lines = true}, series_box_);
    series_->setToolTip(tr("Click a series, or Return, to open it"));
    box->addWidget(series_);
    auto* by_hand = new QHBoxLayout;
    by_hand->setSpacing(8);
    auto* cut = commands_.button(QStringLiteral("cut-series"), tr("Cut here"), series_box_);
    cut->setObjectName(QStringLiteral("cutSeries"));
    auto* join = commands_.button(QStringLiteral("join-series"), tr("Join with next"), series_box_);
    join->setObjectName(QStringLiteral("joinSeries"));
    by_hand->addWidget(cut, 1);
    by_hand->addWidget(join, 1);
    box->addLayout(by_hand);
    rows->addWidget(series_box_);
    for (auto chosen : {&RowList::pressed_on, &RowList::taken})
        connect(series_, chosen, this, &PlanTray::series_chosen);
    connect(&session_.series_thumbs, &SeriesThumbs::ready, this, &PlanTray::show_card);
    rows->addSpacing(8);
    add_text("section", tr("How it was shot"));
    facts_ = add_text("", {});
    facts_->setObjectName(QStringLiteral("facts"));
    problems_ = add_text("warning", {});
    problems_->setObjectName(QStringLiteral("problems"));
    raw_ = new RawPage(session_, page);
    rows->addWidget(raw_);
    connect(raw_, &RawPage::develop_asked, &session_.opening, &Opening::develop);
    rows->addStretch(1);
    return page;
}

void PlanTray::show_card() {
    const Project& project = session_.document.project();
    series_box_->setVisible(project.card.size() > 1);
    std::vector<ListRow> rows;
    for (const CardSeries& own : project.card) {
        const QString words = tr("%1\n%2 frames%3")
                                  .arg(text(own.name))
                                  .arg(own.frames.size())
                                  .arg(own.reason.empty() ? QString() : tr(", %1").arg(text(own.reason)));
        const std::vector<Frame> frames = frames_of(own, session_.document.facts());
        rows.push_back({.key = QString::number(rows.size()),
                        .words = words,
                        .tip = words,
                        .picture = session_.series_thumbs.find({.frame = frames[frames.size() / 2]})});
    }
    series_->set_rows(std::move(rows));
    series_->set_current(project.card_place.value_or(-1));
}

void PlanTray::set_may_begin(const std::function<bool()>& may_begin) {
    shoot_page_->set_may_begin(may_begin);
}

PlanTray::Page PlanTray::page() const {
    return Page(switch_->checkedId());
}

void PlanTray::show_page(Page page) {
    switch_->button(page)->setChecked(true);
    for (int i = 0; i < int(pages_.size()); ++i) pages_[std::size_t(i)]->setVisible(i == int(page));
    refresh();
    emit page_changed();
}

void PlanTray::next_step() {
    if (page() == numbers) return show_page(shoot);
    if (page() == shoot && desk_.state() != ShootState::done) {
        if (shoot_page_->can_step()) shoot_page_->next_step();
        return;
    }
    if (page() == sets) return sets_page_->next_step();
    if (session_.document.has_series()) session_.standpoint.set_stage(Stage::cull);
}

void PlanTray::refresh() {
    const bool on_shoot = page() == shoot && desk_.state() != ShootState::done;
    const QString words = page() == numbers ? tr("Shoot it")
                          : page() == sets  ? sets_page_->next_step_text()
                          : on_shoot        ? shoot_page_->next_step_text()
                                            : tr("Cull");
    next_->setText(words);
    next_->setAccessibleName(words);
    next_->setEnabled(page() == numbers || (page() == sets ? sets_page_->can_step()
                                            : on_shoot     ? shoot_page_->can_step()
                                                           : session_.document.has_series()));
    next_->setToolTip(page() == sets && !sets_page_->can_step() ? sets_page_->why_not()
                                                                : tr("The usual next step"));
    set_state(session_.document.has_series() ? text(session_.document.project().name) : QString());
    facts_->setText(session_.document.has_series() ? series_facts(session_.document.series()).join('\n')
                                                   : tr("No series is open yet."));
    // Once a series is open its own matters need the room; what was offered before is in the menu as well.
    for (QWidget* widget : before_series_) widget->setVisible(!session_.document.has_series());
    QStringList all = session_.opening.problems();
    if (const Looked* looked = session_.products.looked())
        for (const std::string& sentence : looked->mixed) all << text(sentence);
    QStringList shown = all.mid(0, 4);
    if (all.size() > 4) shown << tr("and %1 more").arg(all.size() - 4);
    problems_->setText(shown.join(QStringLiteral("\n\n")));
    problems_->setVisible(!shown.isEmpty());
}

}  // namespace moorhaze::desktop
