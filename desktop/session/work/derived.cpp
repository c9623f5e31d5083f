// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/work/derived.h"

namespace moorhaze::desktop {

DerivedRow::DerivedRow(QString name, DerivedTable& table, QObject* parent)
    : QObject(parent), name_(std::move(name)), table_(table) {
    table_.rows_.push_back(this);
    connect(this, &DerivedRow::failed, &table_, &DerivedTable::failed);
}

DerivedRow::~DerivedRow() {
    std::erase(table_.rows_, this);
}

void DerivedTable::follow() {
    const std::vector<DerivedRow*> all = rows_;
    for (DerivedRow* row : all) row->follow();
}

}  // namespace moorhaze::desktop
