// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/work/derived.h"

#include <numeric>

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

std::size_t DerivedTable::bytes() const {
    return std::accumulate(rows_.begin(), rows_.end(), std::size_t(0),
                           [](std::size_t sum, const DerivedRow* row) { return sum + row->bytes(); });
}

}  // namespace moorhaze::desktop
