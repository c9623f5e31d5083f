// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/tray/finish_rows.h"

#include <QLabel>
#include <QVBoxLayout>

namespace moorhaze::desktop {

FinishRows::FinishRows(Session& session, QWidget* parent)
    : QWidget(parent), session_(session), rows_(new QVBoxLayout(this)) {
    rows_->setContentsMargins(0, 0, 0, 0);
    rows_->setSpacing(6);
}

ValueRow* FinishRows::add_value(const FinishValue& value) {
    auto* row = new ValueRow(value.look, this);
    row->setObjectName(QLatin1String(value.object_name));
    rows_->addWidget(row);
    values_.push_back({value, row});
    connect(row, &ValueRow::value_changed, this, [this, value](double shown) {
        session_.finishing.change(
            tr("set %1").arg(value.look.name),
            [&](Finish& own) {
                value.value(own) = shown * value.per_unit;
                own = with_off(own, value.part, false);
            },
            QLatin1String(value.object_name));
    });
    return row;
}

QLabel* FinishRows::add_words(const char* role, const QString& text) {
    auto* label = new QLabel(text, this);
    label->setProperty("role", role);
    label->setWordWrap(true);
    rows_->addWidget(label);
    return label;
}

void FinishRows::refresh() {
    Finish finish = session_.finishing.finish();
    for (const Row& own : values_) own.row->set_value(own.value.value(finish) / own.value.per_unit);
}

}  // namespace moorhaze::desktop
