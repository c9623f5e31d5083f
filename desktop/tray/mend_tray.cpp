#include "desktop/tray/mend_tray.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

#include "desktop/session/facts.h"
#include "desktop/session/text.h"
#include "desktop/view/commands.h"
#include "desktop/view/theme.h"

namespace moorhaze::desktop {

MendTray::MendTray(SessionBase& base, Commands& commands, QWidget* parent)
    : Tray(tr("Mend"), parent), base_(base) {
    add_section(tr("Draw in from"));
    auto* row = new QHBoxLayout;
    swatch_ = new QLabel(this);
    swatch_->setFixedSize(28, 28);
    source_ = new QLabel(this);
    source_->setObjectName(QStringLiteral("source"));
    row->addWidget(swatch_);
    row->addSpacing(6);
    row->addWidget(source_, 1);
    body()->addLayout(row);
    source_word_ = add_quiet({});
    add_row(commands.button(QStringLiteral("draw-in"), tr("Draw in"), this),
            commands.button(QStringLiteral("wipe-back"), tr("Wipe back"), this));
    add_hairline();
    size_ = new ValueRow({tr("Size"),
                          tr("px"),
                          tr("Diameter of the brush in picture pixels (, smaller and . larger)"),
                          {},
                          2,
                          2000,
                          1,
                          0,
                          true},
                         this);
    softness_ = new ValueRow(
        {tr("Softness"), tr("%"), tr("How gently the brush fades towards its rim"), {}, 0, 100, 5, 0, false},
        this);
    flow_ = new ValueRow({tr("Flow"), tr("%"), tr("How much of the source one stroke brings"),
                          tr("low flow builds up slowly"), 1, 100, 5, 0, false},
                         this);
    size_->setObjectName(QStringLiteral("brushSize"));
    flow_->setObjectName(QStringLiteral("brushFlow"));
    for (ValueRow* value : {size_, softness_, flow_}) body()->addWidget(value);
    add_hairline();
    count_ = add_quiet({});
    add_row(commands.button(QStringLiteral("undo"), tr("Undo"), this),
            commands.button(QStringLiteral("redo"), tr("Redo"), this));
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
    connect(&base_.document, &Document::changed, this, &MendTray::want_refresh);
    connect(&base_.standpoint, &Standpoint::changed, this, [this](Standpoint::Aspect aspect) {
        using Aspect = Standpoint::Aspect;
        if (aspect == Aspect::brush || aspect == Aspect::source || aspect == Aspect::result) want_refresh();
    });
}

void MendTray::refresh() {
    const ProjectResult* result = base_.standpoint.result();
    set_state(result ? text(result->title) : QString());
    const auto source = base_.standpoint.source();
    const int place = source ? base_.document.place(*source) : -1, count = base_.document.series().count();
    QPixmap swatch(28, 28);
    swatch.fill(place >= 0 && count > 1 ? depth_colour(double(place) / (count - 1)) : Theme::current().well);
    swatch_->setPixmap(swatch);
    source_->setText(place >= 0 ? frames_text(place, place) : tr("no frame picked"));
    source_word_->setText(
        place >= 0
            ? tr("right-click a place, or press S there, to pick another")
            : tr("Right-click a place in the picture, or press S there: the sounding shows which frames are "
                 "sharp at it. Pick one by click or digit."));
    const Brush& brush = base_.standpoint.brush();
    size_->set_value(brush.radius_px * 2);
    softness_->set_value(brush.softness * 100);
    flow_->set_value(brush.flow * 100);
    count_->setText(!result                   ? tr("Nothing is merged yet (Ctrl+Return).")
                    : result->strokes.empty() ? tr("nothing painted yet")
                                              : tr("%1 painted").arg(strokes_text(result->strokes.size())));
}

}  // namespace moorhaze::desktop
