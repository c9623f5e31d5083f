// SPDX-License-Identifier: GPL-3.0-or-later
// The manual's page of keys says what the table of commands says.
#include <catch2/catch.hpp>
#include <cstdlib>
#include <map>

#include "desktop/view/commands.h"
#include "desktop/view/main_window.h"
#include "tests/support/scratch.h"

using namespace moorhaze;
using namespace moorhaze::desktop;

namespace {

const char* const kKeysBegin =
    "<!-- From here on from the table of commands: MOORHAZE_WRITE_MANUAL=1 writes it anew. -->\n";

QString cell(QString text) {
    return text.replace('|', QStringLiteral("\\|")).replace('\n', ' ').remove(QStringLiteral("..."));
}

}  // namespace

TEST_CASE("the manual has every key, under its menu, in the words of its command", "[desktop][manual]") {
    MainWindow main;
    std::vector<QString> order;
    std::map<QString, QString> rows;
    int keys = 0;
    for (const Command& command : main.commands().all()) {
        if (command.key.isEmpty()) continue;
        const QString menu =
            command.menu.isEmpty() ? QStringLiteral("Anywhere") : QString(command.menu).remove('&');
        if (!rows.contains(menu)) order.push_back(menu);
        rows[menu] +=
            QStringLiteral("| `%1` | %2 | %3 |\n")
                .arg(cell(command.key), cell(QString(command.words).remove('&')), cell(command.tip));
        ++keys;
    }
    CHECK(keys > 60);
    QString pages;
    for (const QString& menu : order)
        pages += QStringLiteral("\n## %1\n\n| key | command | what it does |\n|---|---|---|\n%2")
                     .arg(menu, rows[menu]);
    const std::filesystem::path file = std::filesystem::path(MOORHAZE_MANUAL) / "keys.md";
    const std::string page = test::read_all(file);
    const std::size_t begin = page.find(kKeysBegin);
    REQUIRE(begin != std::string::npos);
    const std::string wanted = page.substr(0, begin) + kKeysBegin + pages.toStdString();
    if (std::getenv("MOORHAZE_WRITE_MANUAL")) test::write_all(file, wanted);
    CHECK(page == wanted);
}
