// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/view/row_list.h"

#include <QIcon>
#include <algorithm>

#include "desktop/view/theme.h"

namespace moorhaze::desktop {
namespace {

bool look_alike(const ListRow& one, const ListRow& other) {
    return one.words == other.words && one.tip == other.tip &&
           one.picture.cacheKey() == other.picture.cacheKey() && one.ticked == other.ticked &&
           one.is_choosable == other.is_choosable && one.is_quiet == other.is_quiet;
}

/// The picture itself in every state: styles tint the icons of what is chosen or can't be.
QIcon plain_icon(const QPixmap& picture) {
    QIcon icon;
    for (const auto mode : {QIcon::Normal, QIcon::Selected, QIcon::Active, QIcon::Disabled})
        icon.addPixmap(picture, mode);
    return icon;
}

}  // namespace

void RowModel::set_rows(std::vector<ListRow> rows) {
    const auto has = [&rows](const QString& key) {
        return std::any_of(rows.begin(), rows.end(), [&](const ListRow& own) { return own.key == key; });
    };
    for (int at = int(rows_.size()) - 1; at >= 0; --at)
        if (!has(rows_[std::size_t(at)].key)) {
            beginRemoveRows({}, at, at);
            rows_.erase(rows_.begin() + at);
            endRemoveRows();
        }
    for (int at = 0; at < int(rows.size()); ++at) {
        ListRow& own = rows[std::size_t(at)];
        const auto found = std::find_if(rows_.begin() + std::min(at, int(rows_.size())), rows_.end(),
                                        [&](const ListRow& row) { return row.key == own.key; });
        const int from = int(found - rows_.begin());
        if (found == rows_.end()) {
            beginInsertRows({}, at, at);
            rows_.insert(rows_.begin() + at, std::move(own));
            endInsertRows();
            continue;
        }
        if (from != at) {
            beginMoveRows({}, from, from, {}, at);
            std::rotate(rows_.begin() + at, found, found + 1);
            endMoveRows();
        }
        ListRow& shown = rows_[std::size_t(at)];
        if (look_alike(shown, own)) continue;
        shown = std::move(own);
        emit dataChanged(index(at), index(at));
    }
}

int RowModel::rowCount(const QModelIndex& parent) const {
    return parent.isValid() ? 0 : int(rows_.size());
}

QVariant RowModel::data(const QModelIndex& index, int role) const {
    if (!index.isValid() || index.row() >= rowCount()) return {};
    const ListRow& own = rows_[std::size_t(index.row())];
    switch (role) {
        case Qt::DisplayRole:
            return own.words;
        case Qt::ToolTipRole:
            return own.tip.isEmpty() ? QVariant() : own.tip;
        case Qt::DecorationRole:
            return own.picture.isNull() ? QVariant() : plain_icon(own.picture);
        case Qt::CheckStateRole:
            return own.ticked ? QVariant(*own.ticked ? Qt::Checked : Qt::Unchecked) : QVariant();
        case Qt::ForegroundRole:
            return own.is_quiet ? Theme::current().quiet : Theme::current().text;
        case Qt::SizeHintRole:
            return row_height_ > 0 ? QVariant(QSize(0, row_height_)) : QVariant();
        default:
            return {};
    }
}

Qt::ItemFlags RowModel::flags(const QModelIndex& index) const {
    if (!index.isValid() || index.row() >= rowCount()) return Qt::NoItemFlags;
    const ListRow& own = rows_[std::size_t(index.row())];
    if (!own.is_choosable) return Qt::NoItemFlags;
    const Qt::ItemFlags flags = Qt::ItemIsEnabled | Qt::ItemIsSelectable | Qt::ItemNeverHasChildren;
    return own.ticked ? flags | Qt::ItemIsUserCheckable : flags;
}

bool RowModel::setData(const QModelIndex& index, const QVariant& value, int role) {
    if (role != Qt::CheckStateRole || !(flags(index) & Qt::ItemIsUserCheckable)) return false;
    emit tick_asked(index.row(), Qt::CheckState(value.toInt()) == Qt::Checked);
    return true;
}

RowList::RowList(const QString& object_name, const QString& accessible_name, const Look& look,
                 QWidget* parent)
    : QListView(parent), look_(look) {
    setObjectName(object_name);
    setAccessibleName(accessible_name);
    setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    setEditTriggers(NoEditTriggers);
    setWordWrap(look.breaks_lines);
    if (!look.picture.isEmpty()) setIconSize(look.picture);
    model_.set_row_height(with_text(look.row_height));
    setModel(&model_);
    connect(&model_, &RowModel::tick_asked, this, &RowList::tick_asked);
    connect(this, &QListView::clicked, this, [this](const QModelIndex& at) { emit pressed_on(at.row()); });
    connect(this, &QListView::activated, this, [this](const QModelIndex& at) { emit taken(at.row()); });
}

void RowList::set_rows(std::vector<ListRow> rows) {
    is_being_filled_ = true;
    model_.set_rows(std::move(rows));
    is_being_filled_ = false;
    fit();
}

void RowList::set_current(int row) {
    if (row == current()) return;
    is_being_filled_ = true;
    setCurrentIndex(row < 0 ? QModelIndex() : model_.index(row));
    is_being_filled_ = false;
}

QPixmap RowList::canvas(const QColor& filled) const {
    QPixmap pixels(look_.picture * devicePixelRatioF());
    pixels.setDevicePixelRatio(devicePixelRatioF());
    pixels.fill(filled);
    return pixels;
}

void RowList::currentChanged(const QModelIndex& now, const QModelIndex& before) {
    QListView::currentChanged(now, before);
    if (!is_being_filled_) emit current_moved(now.row());
}

void RowList::fit() {
    if (look_.most_rows == 0) return;
    int needed = 2 * frameWidth();
    for (int row = 0; row < std::min(look_.most_rows, count()); ++row)
        needed += sizeHintForRow(row) + 2 * spacing();
    setFixedHeight(std::min(with_text(look_.most_height), needed));
    setVisible(count() > 0);
}

}  // namespace moorhaze::desktop
