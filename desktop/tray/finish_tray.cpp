// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/tray/finish_tray.h"

#include <QButtonGroup>
#include <QGridLayout>
#include <QLabel>
#include <QPushButton>
#include <QSignalBlocker>
#include <QVBoxLayout>

#include "desktop/session/work/text.h"

namespace moorhaze::desktop {
namespace {

FinishPage page_of(FinishPart part) {
    switch (part) {
        case FinishPart::lens:
        case FinishPart::framing:
            return FinishPage::frame;
        case FinishPart::light:
        case FinishPart::tones:
        case FinishPart::vignette:
            return FinishPage::light;
        case FinishPart::colour:
        case FinishPart::fringes:
            return FinishPage::colour;
        case FinishPart::detail:
            return FinishPage::detail;
        case FinishPart::ground:
            break;
    }
    return FinishPage::ground;
}

}  // namespace

FinishTray::FinishTray(Session& session, Commands& commands, QWidget* parent)
    : Tray(tr("Finish"), parent), session_(session), switch_(new QButtonGroup(this)) {
    const std::vector<std::pair<QString, QString>> names = {
        {tr("Frame"), tr("Crop and level")},
        {tr("Light"), tr("Exposure, lights and shadows, corners; tones on the line at the left")},
        {tr("Colour"), tr("White balance, saturation, single colours")},
        {tr("Detail"), tr("Clarity, sharpening, noise")},
        {tr("Ground"), tr("A pure white backdrop")},
        {tr("Hand over"), tr("Files, their size, colours and names")},
        {tr("All views"), tr("The turntable's views over each other: one crop for all, and a spin page")}};
    auto* grid = new QGridLayout;
    grid->setSpacing(6);
    for (int i = 0; i < int(names.size()); ++i) {
        auto* button = make_button(names[std::size_t(i)].first, {}, names[std::size_t(i)].second, this);
        button->setCheckable(true);
        button->setProperty("role", "switch");
        button->setObjectName(QStringLiteral("finishPage%1").arg(i));
        switch_->addButton(button, i);
        if (i == int(FinishPage::views))
            grid->addWidget(button, i / 3, 0, 1, 3);
        else
            grid->addWidget(button, i / 3, i % 3);
    }
    body()->addLayout(grid);
    body()->addSpacing(4);
    auto* frame = new FramePage(session_, commands, this);
    auto* light = new LightPage(session_, commands, this);
    auto* colour = new ColourPage(session_, commands, this);
    auto* detail = new DetailPage(session_, commands, this);
    auto* ground = new GroundPage(session_, commands, this);
    auto* views = new ViewsPage(session_, commands, this);
    rows_ = {frame, light, colour, detail, ground, views};
    hand_over_page_ = new HandOverPage(session_, this);
    pages_ = {frame, light, colour, detail, ground, hand_over_page_, views};
    for (QWidget* page : pages_) body()->addWidget(page);

    done_box_ = new QWidget(this);
    auto* done_rows = new QVBoxLayout(done_box_);
    done_rows->setContentsMargins(0, 10, 0, 0);
    done_rows->setSpacing(6);
    auto* heading = new QLabel(tr("What was done"), done_box_);
    heading->setProperty("role", "section");
    done_rows->addWidget(heading);
    done_ = make_short_list(QStringLiteral("whatWasDone"), tr("What was done"), done_box_);
    done_->setToolTip(tr("Click a line to go there; its mark switches it off"));
    done_rows->addWidget(done_);
    reset_ = make_button(tr("Reset the chosen line"), {}, tr("Takes back all that the line says"), done_box_);
    reset_->setObjectName(QStringLiteral("resetPart"));
    done_rows->addWidget(reset_);
    words_ = new QLabel(tr("Nothing was done to the picture: it is handed over as it was merged and mended."),
                        done_box_);
    words_->setProperty("role", "quiet");
    words_->setWordWrap(true);
    done_rows->addWidget(words_);
    body()->addWidget(done_box_);
    next_ = set_next(commands.button(QStringLiteral("export"), tr("Hand over"), this));
    next_->setObjectName(QStringLiteral("export"));
    finish_views_ = set_next(commands.button(QStringLiteral("finish-views"), tr("Finish all views"), this));
    finish_views_->setObjectName(QStringLiteral("finishViews"));

    connect(switch_, &QButtonGroup::idClicked, this,
            [this](int page) { session_.standpoint.set_finish_page(FinishPage(page)); });
    connect(done_, &RowList::pressed_on, this, [this](int row) {
        session_.standpoint.set_finish_page(page_of(done_parts()[std::size_t(row)]));
    });
    connect(done_, &RowList::tick_asked, this, [this](int row, bool ticked) {
        session_.finishing.set_off(done_parts()[std::size_t(row)], !ticked);
    });
    connect(reset_, &QPushButton::clicked, this, [this] {
        if (done_->current() >= 0) session_.finishing.reset(done_parts()[std::size_t(done_->current())]);
    });
    refresh_when_visible([this] { refresh(); });
    connect(&session_.document.settling(), &Settling::settled, this, [this](const Settled& what) {
        const Changes& changes = what.document;
        if (changes.series || changes.finish || changes.hand_over || changes.results ||
            !changes.mended.empty() || what.has_any_product() || what.has_aspect(Standpoint::Aspect::result))
            want_refresh();
        if (what.has_aspect(Standpoint::Aspect::finish_page)) show_page();
    });
    connect(&session_.views_look, &ViewsLook::changed, this, &FinishTray::want_refresh);
    connect(&session_.set_run, &SetRun::changed, this, &FinishTray::want_refresh);
    show_page();
}

void FinishTray::show_page() {
    const int page = int(session_.standpoint.finish_page());
    switch_->button(page)->setChecked(true);
    for (int i = 0; i < int(pages_.size()); ++i) pages_[std::size_t(i)]->setVisible(i == page);
    const bool of_views = session_.standpoint.finish_page() == FinishPage::views;
    done_box_->setVisible(session_.standpoint.finish_page() != FinishPage::hand_over && !of_views);
    next_->setVisible(!of_views);
    finish_views_->setVisible(of_views);
    if (of_views) want_refresh();
    scroll_to_top();
}

/// The parts of the finish that change the picture, as they are listed.
std::vector<FinishPart> FinishTray::done_parts() const {
    std::vector<FinishPart> parts;
    for (const FinishPart part : kFinishParts)
        if (!in_words(session_.finishing.finish(), part).empty()) parts.push_back(part);
    return parts;
}

void FinishTray::show_done() {
    const Finish& finish = session_.finishing.finish();
    std::vector<ListRow> rows;
    for (const FinishPart part : done_parts()) {
        const QString words = text(in_words(finish, part)), name = QLatin1String(name_of(part));
        rows.push_back({.key = name,
                        .words = QStringLiteral("%1: %2").arg(name, words),
                        .tip = words,
                        .ticked = !is_off(finish, part)});
    }
    const bool any = !rows.empty();
    done_->set_rows(std::move(rows));
    if (any && done_->current() < 0) done_->set_current(0);
    reset_->setVisible(any);
    words_->setVisible(!any);
}

void FinishTray::refresh() {
    const bool has_views = session_.views_look.is_there();
    switch_->button(int(FinishPage::views))->setVisible(has_views);
    if (!has_views && session_.standpoint.finish_page() == FinishPage::views)
        session_.standpoint.set_finish_page(FinishPage::frame);
    const ProjectResult* result = session_.standpoint.result();
    set_state(result ? text(result->title) : QString());
    for (FinishRows* page : rows_) page->refresh();
    hand_over_page_->refresh();
    show_done();
}

void FinishTray::hand_over() {
    hand_over_page_->hand_over();
}

}  // namespace moorhaze::desktop
