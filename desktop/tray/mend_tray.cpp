#include "desktop/tray/mend_tray.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QListWidget>
#include <QPushButton>
#include <QVBoxLayout>

#include "desktop/session/facts.h"
#include "desktop/session/text.h"
#include "desktop/view/commands.h"
#include "desktop/view/theme.h"

namespace moorhaze::desktop {
namespace {

constexpr int kFewSnags =
    108;  ///< px of the list: three of them, so that the brush stays in sight at 1280x800

}  // namespace

MendTray::MendTray(SessionBase& base, SnagWalk& walk, Commands& commands, QWidget* parent)
    : Tray(tr("Mend"), parent), base_(base), walk_(walk) {
    add_section(tr("Snags"));
    snags_ = add_line({});
    snags_->setObjectName(QStringLiteral("snags"));
    list_ = new QListWidget(this);
    list_->setObjectName(QStringLiteral("snagList"));
    list_->setAccessibleName(tr("Doubtful places"));
    list_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    list_->setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Expanding);
    list_->setMinimumHeight(kFewSnags);
    list_->setMaximumHeight(kFewSnags);
    body()->addWidget(list_);
    add_row(commands.button(QStringLiteral("next-suggestion"), tr("Next"), this),
            commands.button(QStringLiteral("ignore-snag"), tr("Ignore"), this));
    add_hairline();
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
    flow_ = new ValueRow(
        {tr("Flow"), tr("%"), tr("How much of the source one stroke brings"), {}, 1, 100, 5, 0, false}, this);
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
    connect(list_, &QListWidget::itemClicked, this,
            [this](QListWidgetItem* item) { walk_.go_to(list_->row(item)); });
    connect(&walk_, &SnagWalk::changed, this, &MendTray::want_refresh);
    refresh_when_visible([this] { refresh(); });
    connect(&base_.document, &Document::changed, this, &MendTray::want_refresh);
    connect(&base_.standpoint, &Standpoint::changed, this, [this](Standpoint::Aspect aspect) {
        using Aspect = Standpoint::Aspect;
        if (aspect == Aspect::brush || aspect == Aspect::source || aspect == Aspect::result) want_refresh();
    });
}

QString MendTray::snags_in_words() const {
    if (!base_.standpoint.result()) return tr("Nothing is merged yet (Ctrl+Return).");
    if (walk_.is_looking()) return tr("Looking for doubtful places ...");
    if (!walk_.problem().isEmpty()) return walk_.problem();
    if (!walk_.is_known()) return {};
    if (walk_.current()) return text(sentence_of(walk_.snags()[std::size_t(*walk_.current())].snag));
    if (walk_.snags().empty()) return tr("No doubtful place was found.");
    if (walk_.left() == 0) return tr("All were painted or ignored.");
    return walk_.left() == 1 ? tr("One place to look at.") : tr("%1 places to look at.").arg(walk_.left());
}

void MendTray::refresh_snags() {
    snags_->setText(snags_in_words());
    const auto& all = walk_.snags();
    while (list_->count() > int(all.size())) delete list_->takeItem(list_->count() - 1);
    while (list_->count() < int(all.size())) list_->addItem(QString());
    for (int row = 0; row < list_->count(); ++row) {
        const WalkedSnag& own = all[std::size_t(row)];
        const Snag& snag = own.snag;
        const QString where = snag.nearest < snag.farthest
                                  ? tr("%1 to %2").arg(snag.nearest).arg(snag.farthest)
                                  : tr("frame %1").arg(snag.frame);
        const QString state = own.painted ? tr(" · painted") : own.ignored ? tr(" · ignored") : QString();
        QListWidgetItem* item = list_->item(row);
        item->setText(tr("%1  %2, %3%4").arg(row + 1).arg(snag_name(snag.kind), where, state));
        item->setToolTip(text(sentence_of(snag)));
        item->setForeground(own.is_left() ? Theme::current().text : Theme::current().quiet);
    }
    list_->setVisible(!all.empty());
    const QSignalBlocker quiet(list_);
    list_->setCurrentRow(walk_.current().value_or(-1));
    if (walk_.current()) list_->scrollToItem(list_->item(*walk_.current()));
}

void MendTray::refresh() {
    refresh_snags();
    const ProjectResult* result = base_.standpoint.result();
    set_state(result ? text(result->title) : QString());
    const auto source = base_.standpoint.source();
    const int place = source ? base_.document.place(*source) : -1, count = base_.document.series().count();
    QPixmap swatch(28, 28);
    swatch.fill(place >= 0 && count > 1 ? depth_colour(double(place) / (count - 1)) : Theme::current().well);
    swatch_->setPixmap(swatch);
    source_->setText(place >= 0 ? frames_text(place, place) : tr("no frame picked"));
    source_word_->setText(
        tr("Right-click a place in the picture, or press S there: the sounding shows which frames "
           "are sharp at it. Pick one by click or digit."));
    source_word_->setVisible(place < 0);
    const Brush& brush = base_.standpoint.brush();
    size_->set_value(brush.radius_px * 2);
    softness_->set_value(brush.softness * 100);
    flow_->set_value(brush.flow * 100);
    count_->setText(!result                   ? tr("Nothing is merged yet (Ctrl+Return).")
                    : result->strokes.empty() ? tr("nothing painted yet")
                                              : tr("%1 painted").arg(strokes_text(result->strokes.size())));
}

}  // namespace moorhaze::desktop
