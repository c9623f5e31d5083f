// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/derived.h"

#include <numeric>

namespace moorhaze::desktop {

DerivedRow::DerivedRow(QString name, DerivedTable& table, QObject* parent)
    : QObject(parent), name_(std::move(name)), table_(table) {
    table_.rows_.push_back(this);
    connect(&table_.settling_, &Settling::settled, this, &DerivedRow::follow);
    connect(this, &DerivedRow::failed, &table_, &DerivedTable::failed);
}

DerivedRow::~DerivedRow() {
    std::erase(table_.rows_, this);
}

std::size_t DerivedTable::bytes() const {
    return std::accumulate(rows_.begin(), rows_.end(), std::size_t(0),
                           [](std::size_t sum, const DerivedRow* row) { return sum + row->bytes(); });
}

}  // namespace moorhaze::desktop
