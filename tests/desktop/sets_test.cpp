// SPDX-License-Identifier: GPL-3.0-or-later
// Sets in the real window: a recipe of one series, done for all of a card, and what became of each.
#include <QCheckBox>
#include <QLabel>
#include <QLineEdit>
#include <QSignalSpy>

#include "core/files/picture_file.h"
#include "desktop/tray/plan_tray.h"
#include "tests/desktop/acting.h"
#include "tests/desktop/asking.h"
#include "tests/desktop/waiting.h"
#include "tests/support/card_files.h"

using namespace moorhaze;
using namespace moorhaze::desktop;
using test::click;
using test::named;
using test::wait_until;

namespace {

/// A window with a card of three small series, one of which has a frame without flash.
struct CardWindow {
    test::Scratch scratch;
    MainWindow main;

    CardWindow() {
        test::write_card(scratch / "card", {"bog cotton", "lichen", "moss"}, {180, 120}, 6);
        Picture dark;
        dark.pixels = cv::Mat(120, 180, CV_8UC3, cv::Scalar(2, 2, 2));
        WriteSettings write;
        write.bits = 8;
        write.overwrite = true;
        write_picture(scratch / "card" / "lichen" / "frame-03.tif", dark, {}, write, {});
        main.resize(1280, 800);
        main.show();
        main.open_paths({QString::fromStdString((scratch / "card").string())});
        wait_until([&] { return main.session().looking.is_done() && !main.session().jobs.busy(); });
        Placing placing;
        placing.as_they_lie = true;
        session().document.edit(QStringLiteral("placing"),
                                with_placing(session().document.project(), placing));
    }
    Session& session() { return main.session(); }
    SetRun& run() { return main.session().set_run; }
    RowList& list() { return *named<RowList>(main, "setSeries"); }
    QPushButton& violet() { return *named<QPushButton>(main, "planNext"); }
    void type_out(const QString& out) {
        auto* field = named<QLineEdit>(main, "setOut");
        field->setFocus();
        field->selectAll();
        QTest::keyClicks(field, out);
        QTest::keyClick(field, Qt::Key_Return);
        main.setFocus();
    }
    QString out(const char* name) { return QString::fromStdString((scratch / name).string()); }
};

}  // namespace

TEST_CASE("a recipe of the open series is done for a whole card, and the doubtful one opens with all of it",
          "[desktop][sets]") {
    CardWindow window;
    REQUIRE(window.main.commands().trigger(QStringLiteral("make-recipe")));
    CHECK(window.main.plan_tray().page() == PlanTray::sets);
    REQUIRE(window.list().isVisible());
    REQUIRE(window.list().count() == 3);
    CHECK(window.list().row(0).words.contains("bog cotton"));
    CHECK(window.list().row(0).words.contains("6 frames"));
    CHECK(named<QCheckBox>(window.main, "part-merge")->text().contains("Woven"));
    window.type_out(window.out("out") + "/{number}-{series}");
    CHECK(window.run().names_of(1) == QStringList{"02-lichen.tif"});
    CHECK(window.violet().text() == "Do 3 series");
    // The last one is not wanted.
    test::tick(window.list(), 2, false);
    CHECK(window.violet().text() == "Do 2 series");

    click(&window.violet());
    CHECK(window.violet().text() == "Stop");
    wait_until([&] { return !window.run().is_running(); });
    CHECK(window.list().row(0).words.contains("done, 6 of 6"));
    INFO(window.list().row(1).words.toStdString());
    CHECK(window.list().row(1).words.contains("look at this: 1 frame was left out"));
    CHECK(window.list().row(2).words.contains("6 frames"));
    CHECK(named<QLabel>(window.main, "setState")->text().contains("2 of 2 series done, 1 to look at"));
    CHECK(named<QPushButton>(window.main, "setTable")->isVisible());
    CHECK(read_picture(window.scratch / "out" / "01-bog cotton.tif").width() == 180);
    CHECK(std::filesystem::exists(window.scratch / "out" / "02-lichen.tif"));
    CHECK_FALSE(std::filesystem::exists(window.scratch / "out" / "03-moss.tif"));

    // Where the next run shall go does not take away what was made.
    window.type_out(window.out("elsewhere"));
    CHECK(named<QPushButton>(window.main, "setTable")->isEnabled());
    REQUIRE(window.main.commands().trigger(QStringLiteral("undo")));

    // A double click opens the doubtful one as a project with its result; the list stays.
    auto& list = window.list();
    emit list.taken(1);
    wait_until([&] {
        return window.session().document.project().results.size() == 1 && !window.session().jobs.busy() &&
               window.session().looking.is_done();
    });
    CHECK(window.session().document.project().name == "lichen");
    CHECK_FALSE(window.session().document.project().frames[2].used);
    CHECK(list.count() == 3);
    test::settle(window.main);
    CHECK(window.session().standpoint.result());
}

TEST_CASE("parts of a recipe are taken out, and saved and taken as a file", "[desktop][sets]") {
    CardWindow window;
    SetRun& run = window.run();
    QStringList errors;
    QObject::connect(&window.session().notices, &Notices::notified, [&](const QString& text, bool is_error) {
        if (is_error) errors << text;
    });
    CHECK_FALSE(window.main.commands().trigger(QStringLiteral("save-recipe")));
    window.main.plan_tray().show_page(PlanTray::sets);
    CHECK_FALSE(window.violet().isEnabled());
    CHECK(window.violet().toolTip().contains("recipe"));
    click(named<QPushButton>(window.main, "makeRecipe"));
    auto* merge = named<QCheckBox>(window.main, "part-merge");
    REQUIRE(merge->isVisible());
    QTest::mouseClick(merge, Qt::LeftButton, {}, QPoint(8, merge->height() / 2));
    CHECK_FALSE(merge->isChecked());
    CHECK_FALSE(run.recipe().recipe().merges);
    CHECK(run.recipe().recipe().alignment->placing.as_they_lie);
    run.recipe().save(window.out("recipe.json"));
    CHECK(run.recipe().name() == "recipe.json");
    CHECK(read_recipe(window.scratch / "recipe.json") == run.recipe().recipe());
    test::write_all(window.scratch / "newer.json", R"({"moorhaze_recipe": 7})");
    run.recipe().take(window.out("newer.json"));
    REQUIRE(errors.size() == 1);
    CHECK(errors[0].contains("newer"));
    run.recipe().take(window.out("recipe.json"));
    CHECK_FALSE(merge->isVisible());  // the file has no such part
    // Names that fall on one another are said before it begins.
    run.set_out(window.out("out") + "/{method}");
    CHECK_FALSE(window.violet().isEnabled());
    CHECK(named<QLabel>(window.main, "setState")->text().contains("for both"));
}

TEST_CASE("a set that is stopped goes on where it was, while another series is looked at",
          "[desktop][sets][interrupted]") {
    CardWindow window;
    SetRun& run = window.run();
    run.make_recipe();
    window.main.plan_tray().show_page(PlanTray::sets);
    run.set_out(window.out("out"));
    click(&window.violet());
    wait_until([&] { return run.list().entries()[0].record.is_made(); });
    // Another series is opened meanwhile: the set goes on, its list stays.
    auto& list = window.list();
    emit list.taken(0);
    wait_until([&] { return window.session().looking.is_done(); });
    CHECK(list.count() == 3);
    if (run.is_running()) {
        click(&window.violet());
        wait_until([&] { return !run.is_running(); });
        CHECK(named<QLabel>(window.main, "setState")->text().contains("goes on there"));
    }
    const auto first = std::filesystem::last_write_time(window.scratch / "out" / "bog cotton-merged.tif");
    run.start(0);
    wait_until([&] { return !run.is_running(); });
    for (const SetEntry& own : run.list().entries()) {
        INFO(own.record.name << ": " << words_for(own.record.state) << " "
                             << (own.record.reasons.empty() ? "" : own.record.reasons[0])
                             << run.state().toStdString());
        CHECK(own.record.is_made());
    }
    CHECK(std::filesystem::last_write_time(window.scratch / "out" / "bog cotton-merged.tif") == first);
    test::settle(window.main);
}

TEST_CASE("series that arrive in a watched folder are listed and done as they become whole",
          "[desktop][sets][watch]") {
    CardWindow window;
    SetRun& run = window.run();
    CHECK_FALSE(window.main.commands().trigger(QStringLiteral("watch-set")));  // no recipe yet
    run.make_recipe();
    run.recipe().set_carried(RecipePart::turntable, false);
    window.main.plan_tray().show_page(PlanTray::sets);
    run.set_out(window.out("out") + "/{number}-{series}");
    std::filesystem::create_directories(window.scratch / "tethered");
    constexpr double kQuiet_s = 1;
    run.watch(window.out("tethered"), 0, kQuiet_s);
    REQUIRE(run.is_running());
    CHECK(window.list().count() == 0);
    CHECK(window.violet().text() == "Stop");
    CHECK(named<QLabel>(window.main, "setState")->text().contains("Waiting for series"));
    const auto arrive = [&](const char* name) {
        std::filesystem::copy(window.scratch / "card" / name, window.scratch / "tethered" / name);
    };
    arrive("moss");
    wait_until([&] { return run.list().entries().size() == 1 && run.list().entries()[0].record.is_made(); });
    arrive("bog cotton");
    wait_until([&] { return run.list().entries().size() == 2 && run.list().entries()[1].record.is_made(); });
    CHECK(run.is_running());
    CHECK(window.list().row(0).words.contains("moss 1"));
    CHECK(window.list().row(0).words.contains("done, 6 of 6"));
    CHECK(std::filesystem::exists(window.scratch / "out" / "01-moss 1.tif"));
    CHECK(std::filesystem::exists(window.scratch / "out" / "02-bog cotton 1.tif"));
    click(&window.violet());
    wait_until([&] { return !run.is_running(); });
    CHECK(named<QLabel>(window.main, "setState")->text().contains("No longer watched; 2 of 2"));
    CHECK(window.list().count() == 2);
    test::settle(window.main);
}

TEST_CASE("pictures that the recipe did not make are replaced only where it is asked for",
          "[desktop][sets]") {
    CardWindow window;
    SetRun& run = window.run();
    run.make_recipe();
    window.main.plan_tray().show_page(PlanTray::sets);
    run.set_out(window.out("out"));
    for (int place : {1, 2}) window.session().set_list.set_ticked(place, false);
    const auto file = window.scratch / "out" / "bog cotton-merged.tif";
    std::filesystem::create_directories(file.parent_path());
    test::write_all(file, "retouched");
    click(&window.violet());
    wait_until([&] { return !run.is_running(); });
    CHECK(window.list().row(0).words.contains("failed"));
    CHECK(window.list().row(0).words.contains("exists already"));
    CHECK(test::read_all(file) == "retouched");
    auto* replaces = named<QCheckBox>(window.main, "setReplaces");
    QTest::mouseClick(replaces, Qt::LeftButton, {}, QPoint(8, replaces->height() / 2));
    click(&window.violet());
    wait_until([&] { return !run.is_running(); });
    CHECK(window.list().row(0).words.contains("done"));
    CHECK(read_picture(file).width() == 180);
}

TEST_CASE("what is decided about a set is undone step by step, and is there again when the project is opened",
          "[desktop][sets]") {
    CardWindow window;
    Session& session = window.session();
    session.autosave.set_folder(window.scratch / "projects");
    window.run().make_recipe();
    window.main.plan_tray().show_page(PlanTray::sets);
    const QString suggested = window.run().out();
    const SetChoice made = session.document.project().set;
    window.type_out(window.out("out"));
    test::tick(window.list(), 2, false);
    auto* merge = named<QCheckBox>(window.main, "part-merge");
    QTest::mouseClick(merge, Qt::LeftButton, {}, QPoint(8, merge->height() / 2));
    auto* replaces = named<QCheckBox>(window.main, "setReplaces");
    QTest::mouseClick(replaces, Qt::LeftButton, {}, QPoint(8, replaces->height() / 2));
    const SetChoice decided = session.document.project().set;
    CHECK(decided.unticked.size() == 1);
    CHECK(decided.replaces);
    CHECK(window.violet().text() == "Do 2 series");

    const auto undo = [&] { REQUIRE(window.main.commands().trigger(QStringLiteral("undo"))); };
    undo();
    CHECK_FALSE(replaces->isChecked());
    undo();
    CHECK(merge->isChecked());
    undo();
    CHECK(window.list().row(2).ticked == true);
    CHECK(window.violet().text() == "Do 3 series");
    undo();
    CHECK(named<QLineEdit>(window.main, "setOut")->text() == suggested);
    CHECK(session.document.project().set == made);
    for (int i = 0; i < 4; ++i) REQUIRE(window.main.commands().trigger(QStringLiteral("redo")));
    CHECK(session.document.project().set == decided);

    // Another window, another day.
    wait_until([&] { return session.autosave.is_settled() && !session.document.file().empty(); });
    const auto file = session.document.file();
    MainWindow again;
    again.resize(1280, 800);
    again.show();
    again.open_paths({QString::fromStdString(file.string())});
    wait_until([&] { return again.session().looking.is_done() && !again.session().jobs.busy(); });
    CHECK(again.session().document.project().set == decided);
    again.plan_tray().show_page(PlanTray::sets);
    auto& list = *named<RowList>(again, "setSeries");
    REQUIRE(list.count() == 3);
    CHECK(list.row(0).ticked == true);
    CHECK(list.row(2).ticked == false);
    CHECK(again.session().set_run.out() == window.out("out"));
    test::settle(window.main);
}
