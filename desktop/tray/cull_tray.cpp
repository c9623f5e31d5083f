// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/tray/cull_tray.h"

#include <QCheckBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QSignalBlocker>
#include <QSpinBox>
#include <QVBoxLayout>
#include <algorithm>

#include "desktop/session/document/facts.h"
#include "desktop/session/work/text.h"
#include "desktop/view/commands.h"
#include "desktop/view/theme.h"

namespace moorhaze::desktop {

CullTray::CullTray(Session& session, Commands& commands, QWidget* parent)
    : Tray(tr("Cull"), parent), session_(session) {
    add_section(tr("Suggested to leave out"));
    none_ = add_line({});
    list_ = new RowList(QStringLiteral("suggestions"), tr("Suggested to leave out"), {.breaks_lines = true},
                        this);
    list_->setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Expanding);
    body()->addWidget(list_);
    add_row(commands.button(QStringLiteral("accept"), tr("Accept all"), this),
            commands.button(QStringLiteral("next-suggestion"), tr("Next"), this));
    look_again_ = commands.button(QStringLiteral("look-again"), tr("Look at them"), this);
    look_again_->setObjectName(QStringLiteral("lookAgain"));
    body()->addWidget(look_again_);
    gaps_ = add_line({});
    gaps_->setProperty("role", "warning");
    order_ = add_line({});
    order_->setProperty("role", "warning");
    order_->setObjectName(QStringLiteral("order"));
    put_in_order_ = commands.button(QStringLiteral("put-in-order"), tr("Put in order"), this);
    body()->addWidget(put_in_order_);
    put_in_order_->setObjectName(QStringLiteral("putInOrder"));
    mixed_ = add_line({});
    mixed_->setProperty("role", "warning");
    mixed_->setObjectName(QStringLiteral("mixed"));
    add_hairline();
    add_section(tr("Depth to keep"));
    range_ = add_line({});
    range_->setObjectName(QStringLiteral("range"));
    add_row(commands.button(QStringLiteral("near-here"), tr("Near here"), this),
            commands.button(QStringLiteral("far-here"), tr("Far here"), this));
    auto* keep = commands.button(QStringLiteral("keep"), tr("Draw across"), this);
    keep->setObjectName(QStringLiteral("keep"));
    auto* quick = commands.button(QStringLiteral("quick-look"), tr("Quick merge"), this);
    quick->setObjectName(QStringLiteral("quickLook"));
    add_row(keep, quick);
    hint_ = add_quiet(tr("Click a place in the picture: the frame that is sharpest there is shown."));
    add_hairline();
    add_section(tr("Frame shown"));
    this_frame_ = add_line({});
    toggle_ = commands.button(QStringLiteral("toggle-use"), tr("Leave out"), this);
    toggle_->setObjectName(QStringLiteral("toggleUse"));
    auto* save = commands.button(QStringLiteral("save-frame"), tr("Save it"), this);
    save->setObjectName(QStringLiteral("saveFrame"));
    if (auto* hint = save->findChild<QLabel*>(QStringLiteral("keyHint"))) hint->hide();  // too long beside it
    add_row(toggle_, save);
    marks_ = new QCheckBox(tr("Mark what is sharp (M)"), this);
    marks_->setObjectName(QStringLiteral("sharpMarks"));
    marks_->setToolTip(tr("Paints over what is sharp in the frame shown"));
    body()->addWidget(marks_);
    connect(marks_, &QCheckBox::clicked, &session_.standpoint, &Standpoint::set_sharp_marks);
    reach_ = new ValueRow({tr("Reach of the marks"),
                           tr("%"),
                           tr("How much of what is nearly sharp is marked too"),
                           {},
                           0,
                           100,
                           5,
                           0,
                           false},
                          this);
    reach_->setObjectName(QStringLiteral("marksReach"));
    reach_->set_value(40);
    reach_->setVisible(false);
    body()->addWidget(reach_);
    connect(reach_, &ValueRow::value_changed, this,
            [this](double percent) { session_.standpoint.set_marks_reach(percent / 100); });
    auto* row = new QHBoxLayout;
    auto* name = new QLabel(tr("Reference frame"), this);
    reference_ = new QSpinBox(this);
    reference_->setObjectName(QStringLiteral("reference"));
    reference_->setFixedWidth(with_text(56));
    reference_->setAlignment(Qt::AlignRight);
    reference_->setKeyboardTracking(false);
    reference_->setToolTip(
        tr("The frame that stays as it is; all others are laid over it (R: the frame shown)"));
    reference_->setAccessibleName(tr("Reference frame"));
    name->setBuddy(reference_);
    row->addWidget(name, 1);
    row->addWidget(reference_);
    body()->addSpacing(6);
    body()->addLayout(row);
    suggested_ = add_quiet({});
    set_next(commands.button(QStringLiteral("merge"), tr("Align and merge"), this))
        ->setObjectName(QStringLiteral("alignAndMerge"));

    connect(reference_, &QSpinBox::valueChanged, this, [this](int number) {
        if (number <= session_.document.series().count())
            session_.culling.set_reference(session_.document.id_at(number - 1));
    });
    connect(list_, &RowList::pressed_on, this, [this](int chosen) {
        session_.standpoint.set_place(list_->row(chosen).key.section(QLatin1Char(' '), 0, 0).toInt());
    });
    let_grow(list_);
    refresh_when_visible([this] { refresh(); });
    connect(&session_.document.settling(), &Settling::settled, this, [this](const Settled& what) {
        if (what.document.selection() || what.document.development ||
            what.has_product(Products::Kind::look) ||
            what.has_any_of(Standpoint::Aspect::frame, Standpoint::Aspect::marks))
            want_refresh();
    });
}

void CullTray::refresh() {
    const bool open = session_.document.has_series();
    const Series& series = session_.document.series();
    const Looked* looked = session_.products.looked();
    const OrderReport order = looked ? looked->order : OrderReport();
    set_state(!open                  ? QString()
              : order.needs_repair() ? tr("%1 frames").arg(series.count())
                                     : tr("%1 frames, near to far").arg(series.count()));
    {
        const QSignalBlocker quiet(marks_);
        marks_->setChecked(session_.standpoint.sharp_marks());
        reach_->setVisible(session_.standpoint.sharp_marks());
    }
    const auto found = suggestions(session_);
    std::vector<ListRow> rows;
    for (const Suggestion& suggestion : found)
        rows.push_back({.key = QStringLiteral("%1 %2").arg(suggestion.first).arg(suggestion.reason),
                        .words = QStringLiteral("%1%2\n%3")
                                     .arg(frames_text(suggestion.first, suggestion.last),
                                          suggestion.done ? tr(", left out") : QString(), suggestion.reason),
                        .tip = suggestion.reason});
    list_->set_rows(std::move(rows));
    list_->setVisible(!found.empty());
    none_->setVisible(found.empty());
    none_->setText(!open                           ? tr("Open a series first (Ctrl+O).")
                   : session_.looking.is_stopped() ? tr("Looking at the frames was stopped.")
                   : !looked                       ? tr("The frames are being looked at.")
                                                   : tr("Nothing."));
    look_again_->setVisible(session_.looking.is_stopped());
    QStringList gaps, mixed;
    if (looked) {
        for (const FocusGap& gap : looked->whole.gaps) gaps << gap_text(gap);
        for (const std::string& sentence : looked->mixed) mixed << text(sentence);
    }
    gaps_->setText(gaps.mid(0, 3).join('\n'));
    gaps_->setVisible(!gaps.isEmpty());
    order_->setText(order_text(order));
    order_->setVisible(!order_->text().isEmpty());
    put_in_order_->setVisible(order.needs_repair());
    mixed_->setText(mixed.mid(0, 2).join('\n'));
    mixed_->setVisible(!mixed.isEmpty());
    const bool warned = !gaps.isEmpty() || !order_->text().isEmpty() || !mixed.isEmpty();
    // As high as its sentences where there is room, two of them where there is little.
    int whole = 2 * list_->frameWidth();
    for (int row = 0; row < list_->count(); ++row) whole += list_->sizeHintForRow(row);
    list_->setMinimumHeight(std::min(whole, with_text(2 * 66 + 4)));
    list_->setMaximumHeight(whole);
    hint_->setVisible(!warned && found.empty());
    reference_->setEnabled(open);
    if (!open) {
        range_->setText(tr("no series"));
        this_frame_->clear();
        suggested_->clear();
        return;
    }
    range_->setText(tr("frames %1 to %2, %3 in use")
                        .arg(series.range.first + 1)
                        .arg(series.range.last + 1)
                        .arg(series.chosen().size()));
    const int current = session_.standpoint.place();
    const bool used = series.frames[std::size_t(current)].used;
    QString words = tr("%1%2").arg(frames_text(current, current), used ? QString() : tr(", left out"));
    if (looked && current < int(looked->whole.share.size()))
        words += tr(": sharpest in %1 %").arg(100 * looked->whole.share[std::size_t(current)], 0, 'f', 1);
    this_frame_->setText(words);
    toggle_->setText(used ? tr("Leave out") : tr("Take back"));
    toggle_->setAccessibleName(toggle_->text());
    const QSignalBlocker quiet(reference_);
    reference_->setRange(1, series.count());
    reference_->setValue(session_.document.place(session_.products.reference()) + 1);
    suggested_->setText(
        looked
            ? tr("suggested: %1, with most of the subject sharp").arg(looked->whole.suggested_reference + 1)
            : QString());
}

}  // namespace moorhaze::desktop
