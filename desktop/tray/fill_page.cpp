// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/tray/fill_page.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QSignalBlocker>
#include <QSpinBox>
#include <QVBoxLayout>
#include <algorithm>

#include "desktop/session/document/facts.h"
#include "desktop/tray/tray_parts.h"

namespace moorhaze::desktop {
namespace {

QSpinBox* frame_number(const QString& object_name, const QString& name, QWidget* parent) {
    auto* box = new QSpinBox(parent);
    box->setObjectName(object_name);
    box->setAccessibleName(name);
    box->setToolTip(name);
    box->setMinimum(1);
    return box;
}

}  // namespace

FillPage::FillPage(SessionBase& base, Brushwork& brushwork, QWidget* parent)
    : QWidget(parent), base_(base), brushwork_(brushwork) {
    words_ = new QLabel(this);
    words_->setWordWrap(true);
    untrusted_ =
        make_button(tr("Backdrop"), {},
                    tr("Where no frame is sharp (below the trust floor) all comes from the source"), this);
    untrusted_->setObjectName(QStringLiteral("fillUntrusted"));
    frame_ =
        make_button({}, {}, tr("Whatever the merge took from the frame shown comes from the source"), this);
    frame_->setObjectName(QStringLiteral("fillFrame"));
    depths_ = make_button(tr("Depths"), {}, tr("Whatever lies at these depths comes from the source"), this);
    depths_->setObjectName(QStringLiteral("fillDepths"));
    from_ = frame_number(QStringLiteral("fillFrom"), tr("Nearest frame of the depths"), this);
    to_ = frame_number(QStringLiteral("fillTo"), tr("Farthest frame of the depths"), this);
    auto* depths = new QHBoxLayout;
    depths->setSpacing(8);
    depths->addWidget(depths_, 1);
    depths->addWidget(from_);
    depths->addWidget(to_);
    auto* rows = new QVBoxLayout(this);
    rows->setContentsMargins(0, 0, 0, 0);
    rows->addWidget(words_);
    rows->addLayout(side_by_side(untrusted_, frame_));
    rows->addLayout(depths);
    connect(untrusted_, &QPushButton::clicked, this, [this] {
        const ProjectResult* result = base_.standpoint.result();
        if (!result) return;
        const double floor = result->made_from.choice.settings.trust_floor;
        brushwork_.fill({WhereRule::Kind::trust_below, 0, floor, {}});
    });
    connect(depths_, &QPushButton::clicked, this, &FillPage::fill_depths);
    connect(frame_, &QPushButton::clicked, this, &FillPage::fill_frame);
}

int FillPage::number_in_merge(int number) const {
    const ProjectResult* result = base_.standpoint.result();
    const MergeProduct* product = result ? base_.products.merge(result->id) : nullptr;
    if (!product || number < 1 || number > base_.document.series().count()) return 0;
    return index_of(product->plane->series, base_.document.id_at(number - 1)).value_or(-1) + 1;
}

void FillPage::fill_depths() {
    const int from = number_in_merge(from_->value()), to = number_in_merge(to_->value());
    if (from == 0 || to == 0)
        return base_.notices.notify_error(tr("One of these frames came after this merge was made."));
    const auto [nearest, farthest] = std::minmax(from, to);
    brushwork_.fill({WhereRule::Kind::depth_between, nearest - 0.5, farthest + 0.5, {}});
}

void FillPage::fill_frame() {
    if (const auto frame = base_.standpoint.frame())
        brushwork_.fill({WhereRule::Kind::from_frame, 0, 0, *frame});
}

void FillPage::refresh() {
    const int count = base_.document.series().count();
    for (QSpinBox* box : {from_, to_}) {
        const bool was_last = box == to_ && box->value() == box->maximum();
        const QSignalBlocker quiet(box);
        box->setMaximum(std::max(1, count));
        if (was_last) box->setValue(count);
    }
    const bool merged = base_.standpoint.result() != nullptr;
    for (QWidget* widget : std::initializer_list<QWidget*>{untrusted_, frame_, depths_, from_, to_})
        widget->setEnabled(merged);
    const auto frame = base_.standpoint.frame();
    frame_->setText(frame ? tr("Of frame %1").arg(base_.document.place(*frame) + 1) : tr("Of a frame"));
    words_->setText(
        merged ? tr("One step brings the source below to all places of a kind; the rim is as soft as "
                    "the brush.")
               : tr("Nothing is merged yet (Ctrl+Return)."));
}

}  // namespace moorhaze::desktop
