// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QAbstractListModel>
#include <QListView>
#include <QPixmap>
#include <optional>
#include <vector>

namespace moorhaze::desktop {

/// A row of a list, as it shall be seen.
struct ListRow {
    QString key;  ///< what it stands for, once in a list: a row of the same key is the same row
    QString words;
    QString tip = {};
    QPixmap picture = {};             ///< of twice the list's size or more where it shall be sharp at 200 %
    std::optional<bool> ticked = {};  ///< none: it has no mark
    bool is_choosable = true;
    bool is_quiet = false;  ///< written in the quiet colour
};

/// The rows of a list. They are given whole each time: those that stayed keep their place under the person's
/// hand, and only what differs is drawn anew.
class RowModel : public QAbstractListModel {
    Q_OBJECT
  public:
    using QAbstractListModel::QAbstractListModel;

    void set_rows(std::vector<ListRow> rows);
    const std::vector<ListRow>& rows() const { return rows_; }
    void set_row_height(int height) { row_height_ = height; }

    int rowCount(const QModelIndex& parent = {}) const override;
    QVariant data(const QModelIndex& index, int role) const override;
    Qt::ItemFlags flags(const QModelIndex& index) const override;
    /// A tick is only asked for: what it changes comes back as rows.
    bool setData(const QModelIndex& index, const QVariant& value, int role) override;

  signals:
    void tick_asked(int row, bool ticked);

  private:
    std::vector<ListRow> rows_;
    int row_height_ = 0;
};

/// A list that says what a person does in it, and nothing of what the program does.
class RowList : public QListView {
    Q_OBJECT
  public:
    struct Look {
        QSize picture = {};
        int row_height = 0;  ///< logical px where text has its usual size; 0: as the words need it
        /// As high as so many rows at most, and hidden without any; 0: as high as its layout says.
        int most_rows = 0;
        int most_height = 2000;  ///< logical px
        bool breaks_lines = false;
    };
    RowList(const QString& object_name, const QString& accessible_name, const Look& look, QWidget* parent);

    void set_rows(std::vector<ListRow> rows);
    void set_current(int row);  ///< -1: none
    int count() const { return model_.rowCount(); }
    int current() const { return currentIndex().row(); }
    const ListRow& row(int row) const { return model_.rows()[std::size_t(row)]; }
    RowModel& rows() { return model_; }
    /// To draw a row's picture on, as sharp as the screen.
    QPixmap canvas(const QColor& filled) const;

  signals:
    void current_moved(int row);  ///< by the person; -1: none
    void pressed_on(int row);     ///< a click
    void taken(int row);          ///< double click, or Return
    void tick_asked(int row, bool ticked);

  protected:
    void currentChanged(const QModelIndex& now, const QModelIndex& before) override;

  private:
    void fit();

    Look look_;
    RowModel model_;
    bool is_being_filled_ = false;
};

}  // namespace moorhaze::desktop
