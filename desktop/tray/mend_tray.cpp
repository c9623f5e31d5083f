// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/tray/mend_tray.h"

#include <QButtonGroup>
#include <QCheckBox>
#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

#include "desktop/session/document/facts.h"
#include "desktop/session/work/text.h"
#include "desktop/tray/fill_page.h"
#include "desktop/tray/snag_list.h"
#include "desktop/tray/stroke_list.h"
#include "desktop/view/commands.h"
#include "desktop/view/theme.h"

namespace moorhaze::desktop {
namespace {

const QVariant kOutside = -1;  // no result has that number

}  // namespace

MendTray::MendTray(Session& session, Commands& commands, QWidget* parent)
    : Tray(tr("Mend"), parent), base_(session), commands_(commands), switch_(new QButtonGroup(this)) {
    body()->addLayout(
        make_switch(switch_, QStringLiteral("mendPage"),
                    {{tr("Snags"), tr("Doubtful places of the merge")},
                     {tr("Strokes"), tr("What was painted, each to be switched off or changed")},
                     {tr("Fill"), tr("All places of a kind from the source in one step")}},
                    this));
    snags_ = new SnagList(session, session.snag_walk, session.mended_display, commands, this);
    strokes_ = new StrokeList(session, session.mended_display, session.stroke_edits, this);
    body()->addWidget(snags_);
    fill_ = new FillPage(session, session.brushwork, this);
    body()->addWidget(strokes_);
    body()->addWidget(fill_);
    switch_->button(0)->setChecked(true);
    strokes_->hide();
    fill_->hide();
    connect(switch_, &QButtonGroup::idClicked, this, [this](int page) {
        snags_->setVisible(page == 0);
        strokes_->setVisible(page == 1);
        fill_->setVisible(page == 2);
    });
    connect(strokes_, &StrokeList::chosen, this, &MendTray::stroke_chosen);
    connect(&session.snag_walk, &SnagWalk::changed, this, &MendTray::want_refresh);
    add_hairline();
    auto* row = new QHBoxLayout;
    row->setSpacing(8);
    auto* from = new QLabel(tr("From"), this);
    from->setProperty("role", "quiet");
    row->addWidget(from);
    swatch_ = new QLabel(this);
    swatch_->setFixedSize(28, 28);
    source_ = new QComboBox(this);
    source_->setObjectName(QStringLiteral("source"));
    // As wide as there is room: its longest entry is not what the tray is measured by.
    source_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    source_->setMinimumContentsLength(8);
    source_->setAccessibleName(tr("Draw in from"));
    source_->setToolTip(
        tr("A frame is picked in the picture or on the sounding; another result is picked here. V, held, "
           "shows it in its place"));
    connect(source_, &QComboBox::activated, this, &MendTray::pick_source);
    row->addWidget(swatch_);
    row->addWidget(source_, 1);
    body()->addLayout(row);
    source_word_ =
        add_quiet(tr("Right-click a place in the picture, or press S there: the sounding shows which frames "
                     "are sharp at it. "
                     "Pick one by click or digit."));
    add_row(commands.button(QStringLiteral("draw-in"), tr("Draw in"), this),
            commands.button(QStringLiteral("wipe-back"), tr("Wipe back"), this));
    add_row(commands.button(QStringLiteral("fade"), tr("Fade"), this),
            commands.button(QStringLiteral("take"), tr("Take thing"), this));
    add_row(commands.button(QStringLiteral("heal"), tr("Heal"), this),
            commands.button(QStringLiteral("copy-from"), tr("Copy from"), this));
    match_tone_ = new QCheckBox(tr("Match the tone around"), this);
    match_tone_->setObjectName(QStringLiteral("matchTone"));
    match_tone_->setToolTip(
        tr("What is drawn in, taken or copied is made lighter or darker, each colour on its own, until it "
           "meets what lies around the stroke"));
    body()->addWidget(match_tone_);
    through_ = new QCheckBox(tr("Through the frames between"), this);
    through_->setObjectName(QStringLiteral("fadeThrough"));
    through_->setToolTip(tr(
        "The fade passes from the frame that is sharp at its start through each frame up to the source, as "
        "a lens leaves its focus; otherwise the picture passes straight into the source"));
    body()->addWidget(through_);
    connect(through_, &QCheckBox::clicked, this, [this](bool on) {
        Brush brush = base_.standpoint.brush();
        brush.fade_through = on;
        base_.standpoint.set_brush(brush);
    });
    connect(match_tone_, &QCheckBox::clicked, this, [this](bool on) {
        Brush brush = base_.standpoint.brush();
        brush.match_tone = on;
        base_.standpoint.set_brush(brush);
    });
    add_hairline();
    size_ = new ValueRow(
        {tr("Size"),
         tr("px"),
         tr("Diameter of the brush in picture pixels (, smaller and . larger; or hold Z and move to the "
            "side)"),
         {},
         2,
         2000,
         1,
         0,
         true,
         true},
        this);
    softness_ = new ValueRow({tr("Softness"),
                              tr("%"),
                              tr("How gently the brush fades towards its rim"),
                              {},
                              0,
                              100,
                              5,
                              0,
                              false,
                              true},
                             this);
    flow_ = new ValueRow(
        {tr("Flow"), tr("%"), tr("How much of the source one stroke brings"), {}, 1, 100, 5, 0, false, true},
        this);
    size_->setObjectName(QStringLiteral("brushSize"));
    flow_->setObjectName(QStringLiteral("brushFlow"));
    for (ValueRow* value : {size_, softness_, flow_}) body()->addWidget(value);
    set_next(commands.button(QStringLiteral("stage-6"), tr("Finish"), this));

    auto edit_by = [this](ValueRow* own, double Brush::*part, double factor) {
        connect(own, &ValueRow::value_changed, this, [this, part, factor](double value) {
            Brush brush = base_.standpoint.brush();
            brush.*part = value * factor;
            base_.standpoint.set_brush(brush);
        });
    };
    edit_by(size_, &Brush::radius_px, 0.5);
    edit_by(softness_, &Brush::softness, 0.01);
    edit_by(flow_, &Brush::flow, 0.01);
    refresh_when_visible([this] { refresh(); });
    connect(&base_.document.settling(), &Settling::settled, this, &MendTray::want_refresh);
}

/// The first entry is the frame; then come results, by their ids, and the way to bring in another.
void MendTray::pick_source(int row) {
    const QVariant id = source_->itemData(row);
    if (id == kOutside) {
        refresh_source();
        commands_.trigger(QStringLiteral("bring-in"));
    } else if (id.isValid()) {
        if (base_.standpoint.brush().tool == MendTool::wipe_back)
            base_.standpoint.set_tool(MendTool::draw_in);
        base_.standpoint.set_source_result({id.toInt()});
    } else if (base_.standpoint.source_result()) {
        base_.standpoint.set_source(base_.standpoint.frame());
    }
}

void MendTray::refresh_source() {
    const auto source = base_.standpoint.source();
    const int place = source ? base_.document.place(*source) : -1, count = base_.document.series().count();
    QPixmap swatch(28, 28);
    swatch.fill(place >= 0 && count > 1 ? depth_colour(double(place) / (count - 1)) : Theme::current().well);
    swatch_->setPixmap(swatch);
    swatch_->setVisible(place >= 0);
    const ProjectResult* shown = base_.standpoint.result();
    const auto picked = base_.standpoint.source_result();
    const QSignalBlocker quiet(source_);
    source_->clear();
    source_->addItem(place >= 0 ? frames_text(place, place) : picked ? tr("a frame") : tr("no frame picked"));
    for (const ProjectResult& result : base_.document.project().results) {
        if (shown && result.id == shown->id) continue;
        source_->addItem(text(result.title), result.id.value);
        if (picked == result.id) source_->setCurrentIndex(source_->count() - 1);
    }
    source_->addItem(tr("A picture from outside..."), kOutside);
    source_word_->setVisible(place < 0 && !picked);
}

void MendTray::refresh() {
    snags_->refresh();
    strokes_->refresh();
    fill_->refresh();
    refresh_source();
    const ProjectResult* result = base_.standpoint.result();
    set_state(result ? text(result->title) : QString());
    const Brush& brush = base_.standpoint.brush();
    size_->set_value(brush.radius_px * 2);
    softness_->set_value(brush.softness * 100);
    // A fade has no surroundings to meet, and only a fade passes through frames.
    const bool fades = brush.tool == MendTool::fade;
    match_tone_->setVisible(!fades);
    match_tone_->setChecked(brush.match_tone);
    through_->setVisible(fades);
    through_->setChecked(brush.fade_through);
    flow_->set_value(brush.flow * 100);
}

}  // namespace moorhaze::desktop
