// SPDX-License-Identifier: GPL-3.0-or-later
#include <QAbstractItemModelTester>
#include <QPersistentModelIndex>
#include <QSignalSpy>
#include <map>
#include <random>

#include "tests/desktop/acting.h"

using namespace moorhaze::desktop;

namespace {

std::vector<ListRow> rows_named(const QStringList& names) {
    std::vector<ListRow> rows;
    for (const QString& name : names) rows.push_back({.key = name, .words = name + " words", .ticked = true});
    return rows;
}

QStringList names_in(const RowModel& model) {
    QStringList names;
    for (int row = 0; row < model.rowCount(); ++row)
        names << model.data(model.index(row), Qt::DisplayRole).toString().section(' ', 0, 0);
    return names;
}

}  // namespace

TEST_CASE("rows given anew stay the same rows wherever they go, whatever comes and goes around them",
          "[rowlist]") {
    RowModel model;
    const QAbstractItemModelTester rules_of_models(&model);
    std::mt19937 random(7);
    std::map<QString, QPersistentModelIndex> known;
    for (int step = 0; step < 400; ++step) {
        QStringList names;
        for (char name = 'a'; name <= 'j'; ++name)
            if (random() % 3) names << QString(QLatin1Char(name));
        std::shuffle(names.begin(), names.end(), random);
        model.set_rows(rows_named(names));
        REQUIRE(names_in(model) == names);
        for (auto it = known.begin(); it != known.end();) {
            const bool is_there = names.contains(it->first);
            REQUIRE(it->second.isValid() == is_there);
            if (is_there) REQUIRE(it->second.row() == names.indexOf(it->first));
            it = is_there ? std::next(it) : known.erase(it);
        }
        for (int row = 0; row < names.size(); ++row) known.try_emplace(names[row], model.index(row));
    }
}

TEST_CASE("only rows that look different are drawn anew", "[rowlist]") {
    RowModel model;
    model.set_rows(rows_named({"lichen", "moss", "cotton"}));
    QSignalSpy drawn(&model, &RowModel::dataChanged);
    model.set_rows(rows_named({"lichen", "moss", "cotton"}));
    CHECK(drawn.empty());
    auto rows = rows_named({"lichen", "moss", "cotton"});
    rows[1].is_quiet = true;
    model.set_rows(rows);
    REQUIRE(drawn.size() == 1);
    CHECK(drawn[0][0].toModelIndex().row() == 1);
}

TEST_CASE("a mark that is clicked is asked for, and shows what was decided about it", "[rowlist]") {
    RowList list("heath", "Heath", {.most_rows = 4}, nullptr);
    list.set_rows(rows_named({"lichen", "moss"}));
    QSignalSpy asked(&list, &RowList::tick_asked);
    moorhaze::test::tick(list, 1, false);
    REQUIRE(asked.size() == 1);
    CHECK(asked[0] == QVariantList{1, false});
    const auto mark = [&] { return list.model()->index(1, 0).data(Qt::CheckStateRole).toInt(); };
    CHECK(mark() == Qt::Checked);  // nobody has said yes yet
    auto rows = rows_named({"lichen", "moss"});
    rows[1].ticked = false;
    list.set_rows(rows);
    CHECK(mark() == Qt::Unchecked);
}

TEST_CASE("a list says what a person chose in it, not what the program shows", "[rowlist]") {
    RowList list("heath", "Heath", {.most_rows = 4}, nullptr);
    QSignalSpy moved(&list, &RowList::current_moved);
    list.set_rows(rows_named({"lichen", "moss", "cotton"}));
    list.set_current(1);
    CHECK(list.current() == 1);
    list.set_rows(rows_named({"moss", "cotton"}));
    CHECK(list.current() == 0);  // the same row
    list.set_rows(rows_named({"cotton"}));
    CHECK(moved.empty());
    list.set_rows(rows_named({"cotton", "lichen"}));
    list.show();
    QTest::mouseClick(list.viewport(), Qt::LeftButton, {},
                      list.visualRect(list.model()->index(1, 0)).center());
    REQUIRE(moved.size() == 1);
    CHECK(moved[0][0] == 1);
    QTest::keyClick(&list, Qt::Key_Up);
    CHECK(moved.size() == 2);
    CHECK(list.current() == 0);
}

TEST_CASE("a list is as high as its rows up to a limit, and hidden without any", "[rowlist]") {
    QWidget window;
    RowList list("heath", "Heath", {.row_height = 30, .most_rows = 3}, &window);
    window.show();
    list.set_rows(rows_named({"lichen"}));
    const int one = list.height();
    CHECK(list.isVisible());
    list.set_rows(rows_named({"lichen", "moss", "cotton", "brass", "knob"}));
    CHECK(list.height() - one == 2 * 30);
    list.set_rows({});
    CHECK_FALSE(list.isVisible());
}
