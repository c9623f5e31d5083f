#include "desktop/tray/mend_tray.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

#include "desktop/session/facts.h"
#include "desktop/view/theme.h"

namespace moorhaze::desktop {

MendTray::MendTray(Session& session, Mend& mend, QWidget* parent)
    : Tray(tr("Mend"), parent), session_(session), mend_(mend) {
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
    std::tie(draw_, wipe_) =
        add_buttons(tr("Draw in"), tr("B"), tr("The brush paints the source frame into the merge"),
                    tr("Wipe back"), tr("E"), tr("The brush paints the merge back as it was"));
    draw_->setCheckable(true);
    wipe_->setCheckable(true);
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
    std::tie(undo_, redo_) = add_buttons(tr("Undo"), tr("Ctrl+Z"), tr("Takes back the last step"), tr("Redo"),
                                         tr("Ctrl+Y"), tr("Does the step again that was taken back"));
    deliver_ = set_next(tr("Deliver"), tr("Alt+6"), tr("Go on to saving the picture"));

    auto edited = [this] {
        Brush brush = mend_.brush();
        brush.radius_px = size_->value() / 2;
        brush.softness = softness_->value() / 100;
        brush.flow = flow_->value() / 100;
        mend_.set_brush(brush);
    };
    for (ValueRow* value : {size_, softness_, flow_}) connect(value, &ValueRow::value_changed, this, edited);
    connect(draw_, &QPushButton::clicked, this, &MendTray::draw_asked);
    connect(wipe_, &QPushButton::clicked, this, &MendTray::wipe_asked);
    connect(undo_, &QPushButton::clicked, this, &MendTray::undo_asked);
    connect(redo_, &QPushButton::clicked, this, &MendTray::redo_asked);
    connect(deliver_, &QPushButton::clicked, this, &MendTray::deliver_asked);
    connect(&mend_, &Mend::brush_changed, this, &MendTray::refresh);
    connect(&session_, &Session::result_shown, this, &MendTray::refresh);
    connect(&session_, &Session::saved_changed, this, &MendTray::refresh);
    connect(&session_.undo_stack(), &QUndoStack::indexChanged, this, &MendTray::refresh);
    refresh();
}

void MendTray::refresh() {
    const Result* result = session_.result();
    set_state(result ? result->title : QString());
    const int frame = mend_.source_frame(), count = session_.series().count();
    QPixmap swatch(28, 28);
    swatch.fill(frame >= 0 && count > 1 ? depth_colour(double(frame) / (count - 1)) : Theme::current().well);
    swatch_->setPixmap(swatch);
    source_->setText(frame >= 0 ? frames_text(frame, frame) : tr("no frame picked"));
    source_word_->setText(
        frame >= 0
            ? tr("right-click a place, or press S there, to pick another")
            : tr("Right-click a place in the picture, or press S there: the sounding shows which frames are "
                 "sharp at it. Pick one by click or digit."));
    const Brush& brush = mend_.brush();
    draw_->setChecked(!brush.wipe_back);
    wipe_->setChecked(brush.wipe_back);
    size_->set_value(brush.radius_px * 2);
    softness_->set_value(brush.softness * 100);
    flow_->set_value(brush.flow * 100);
    for (QWidget* widget :
         {static_cast<QWidget*>(draw_), static_cast<QWidget*>(wipe_), static_cast<QWidget*>(deliver_)})
        widget->setEnabled(result != nullptr);
    count_->setText(!result ? tr("Nothing is merged yet (Ctrl+Return).")
                    : result->strokes.empty()
                        ? tr("nothing painted yet")
                        : tr("%1 painted").arg(strokes_text(int(result->strokes.size()))));
    undo_->setEnabled(session_.undo_stack().canUndo());
    redo_->setEnabled(session_.undo_stack().canRedo());
}

}  // namespace moorhaze::desktop
