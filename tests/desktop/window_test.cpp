// SPDX-License-Identifier: GPL-3.0-or-later
// The window round the session: its commands, its place on the screen, its program.
#include <QAction>
#include <QApplication>
#include <QCheckBox>
#include <QComboBox>
#include <QInputDialog>
#include <QLineEdit>
#include <QMenu>
#include <QMessageBox>
#include <QProcess>
#include <QTimer>
#include <set>

#include "desktop/view/bars.h"
#include "desktop/view/commands.h"
#include "desktop/view/main_window.h"
#include "desktop/view/picture_view.h"
#include "desktop/view/sounding_panel.h"
#include "tests/desktop/acting.h"
#include "tests/desktop/strips.h"

using namespace moorhaze;
using namespace moorhaze::desktop;
using test::click;
using test::named;
using test::settle;
using test::wait_until;

namespace {

void open_strip_window(MainWindow& main) {
    main.show();
    main.activateWindow();
    REQUIRE(QTest::qWaitForWindowActive(&main));
    main.open_paths({QString::fromStdString(test::StripSession::files().folder().string())});
    wait_until([&] { return main.session().looking.is_done(); });
    settle(main);
}

void merge(MainWindow& main) {
    const int before = test::results(main.session()).size();
    main.session().standpoint.set_whole_ahead(false);
    main.session().merging.merge();
    wait_until([&] { return test::results(main.session()).size() > before; });
    settle(main);
}

struct Ended {
    int code = -1;
    QString out, err;
};
/// Runs the program of the window as a person types it.
Ended run(const QStringList& words, bool with_display) {
    QProcess process;
    QProcessEnvironment environment = QProcessEnvironment::systemEnvironment();
    environment.insert("QT_QPA_PLATFORM", with_display ? "offscreen" : "xcb");
    if (!with_display) environment.remove("DISPLAY");
    // Projects and preferences of its own.
    const test::Scratch home;
    for (const char* place : {"HOME", "XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_CACHE_HOME"})
        environment.insert(QString::fromLatin1(place), QString::fromStdString(home.folder().string()));
    process.setProcessEnvironment(environment);
    process.start(QStringLiteral(MOORHAZE_PROGRAM), words);
    REQUIRE(process.waitForFinished(120'000));
    return {process.exitStatus() == QProcess::NormalExit ? process.exitCode() : -1,
            process.readAllStandardOutput(), process.readAllStandardError()};
}

}  // namespace

TEST_CASE("every command has words, a tip and its own key, and what is not possible says why", "[window]") {
    MainWindow main;
    std::set<QString> ids, keys;
    for (const Command& command : main.commands().all()) {
        INFO(command.id.toStdString());
        CHECK(ids.insert(command.id).second);
        CHECK_FALSE(command.words.isEmpty());
        CHECK_FALSE(command.tip.isEmpty());
        for (const QString& key : command.key.split(QStringLiteral(" | "), Qt::SkipEmptyParts)) {
            CHECK(keys.insert(key).second);
            CHECK_FALSE(QKeySequence(key).isEmpty());
        }
        const QAction* action = main.commands().action(command.id);
        // Not possible now: its tip ends with the reason.
        if (!action->isEnabled()) CHECK(action->toolTip().size() > command.tip.size() + 2);
    }
    CHECK(ids.size() > 50);
    CHECK(main.commands().key_sheet().contains("Ctrl+Return"));
    CHECK_FALSE(main.commands().trigger("undo"));
    CHECK_FALSE(main.commands().trigger("no-such-command"));
    // Every menu has its commands, and the buttons of trays follow them.
    int entries = 0;
    for (const QMenu* menu : main.findChildren<QMenu*>()) entries += int(menu->actions().size());
    CHECK(entries > 45);
    auto* toggle = named<QPushButton>(main, "toggleUse");
    CHECK_FALSE(toggle->isEnabled());
    CHECK(toggle->toolTip().contains("Open a series first"));
}

TEST_CASE("a switch shows what is, wherever it was switched", "[window]") {
    MainWindow main;
    open_strip_window(main);
    Session& session = main.session();
    session.standpoint.set_stage(Stage::align);
    auto* curtain = named<QPushButton>(main, "curtain");
    auto* twin = named<QPushButton>(main, "twin");
    QTest::keyClick(&main, Qt::Key_C);
    CHECK(curtain->isChecked());
    CHECK(main.commands().action("curtain")->isChecked());
    CHECK(session.standpoint.comparing().curtain);
    click(twin);
    CHECK(twin->isChecked());
    CHECK_FALSE(curtain->isChecked());
    CHECK(main.twin_view().isVisible());
    session.standpoint.set_comparing({});
    CHECK_FALSE(twin->isChecked());
    CHECK_FALSE(main.twin_view().isVisible());
    settle(main);
}

TEST_CASE("touching one merge setting leaves the others as they were typed", "[window]") {
    MainWindow main;
    open_strip_window(main);
    Session& session = main.session();
    MergeChoice choice = session.merging.choice();
    choice.settings.detail_size_px = 4.5;
    choice.settings.trust_floor = 0.333;
    session.merging.set_choice(choice, "recipe");
    session.standpoint.set_stage(Stage::merge);
    QTest::mouseClick(named<QCheckBox>(main, "grain"), Qt::LeftButton, {}, QPoint(8, 8));
    CHECK_FALSE(session.merging.choice().settings.grain_guard);
    CHECK(session.merging.choice().settings.detail_size_px == 4.5);
    CHECK(session.merging.choice().settings.trust_floor == 0.333);
    // Each is one step of undo.
    QTest::keyClick(&main, Qt::Key_Z, Qt::ControlModifier);
    CHECK(session.merging.choice().settings.grain_guard);
    CHECK(named<QCheckBox>(main, "grain")->isChecked());
    QTest::keyClick(&main, Qt::Key_Z, Qt::ControlModifier);
    CHECK(session.merging.choice() == MergeChoice());
    settle(main);
}

TEST_CASE("a double click renames the card that was clicked, cards stay while others come", "[window]") {
    MainWindow main;
    open_strip_window(main);
    Session& session = main.session();
    merge(main);
    auto* list = named<RowList>(main, "results");
    const QPersistentModelIndex first = list->model()->index(0, 0);
    test::set_method(session, "blend");
    merge(main);
    REQUIRE(list->count() == 2);
    CHECK(list->model()->index(0, 0) == first);  // the very card, not one made anew
    CHECK(list->current() == 1);
    QTimer::singleShot(200, [] {
        auto* dialog = qobject_cast<QInputDialog*>(QApplication::activeModalWidget());
        REQUIRE(dialog);
        CHECK(dialog->textValue() == "Woven 1");
        dialog->setTextValue("heath");
        dialog->accept();
    });
    emit list->taken(0);
    CHECK(test::results(session)[0].title == "heath");
    CHECK(test::results(session)[1].title == "Even blend 2");
    CHECK(list->row(0).words.startsWith("heath"));
    // A click shows a result, and the list stays.
    list->setCurrentIndex(list->model()->index(0, 0));
    CHECK(session.standpoint.result()->title == "heath");
    CHECK(list->model()->index(0, 0) == first);
    settle(main);
}

TEST_CASE("a series that would be replaced with an unsaved result in it is asked for", "[window]") {
    const test::Scratch scratch;
    MainWindow main;
    open_strip_window(main);
    merge(main);
    Session& session = main.session();
    auto answer = [](const QString& words) {
        QTimer::singleShot(200, qApp, [words] {
            auto* box = qobject_cast<QMessageBox*>(QApplication::activeModalWidget());
            REQUIRE(box);
            for (QAbstractButton* button : box->buttons())
                if (button->text() == words) button->click();
        });
    };
    answer("Stay here");
    main.open_paths({QString::fromStdString(scratch.folder().string())});
    settle(main);
    CHECK(test::results(session).size() == 1);
    answer("Open anyway");
    main.open_paths({QString::fromStdString(test::StripSession::files().folder().string())});
    wait_until([&] { return test::results(session).empty() && session.looking.is_done(); });
    settle(main);
}

TEST_CASE("the window and its frame stay within the screen", "[window]") {
    const QRect room(0, 28, 1280, 772);  // a panel above
    CHECK(kept_within({0, 0, 1282, 830}, room) == room);
    CHECK(kept_within({900, 500, 800, 600}, room) == QRect(480, 200, 800, 600));
    CHECK(kept_within({-50, 0, 400, 300}, room) == QRect(0, 28, 400, 300));
    CHECK(kept_within({100, 100, 400, 300}, room) == QRect(100, 100, 400, 300));
}

TEST_CASE("help and version need no display, wrong names are refused before anything opens", "[window]") {
    const Ended help = run({"--help"}, false), version = run({"--version"}, false);
    CHECK(help.code == 0);
    CHECK(help.out.contains("snapshot FILE.png"));
    CHECK(version.code == 0);
    CHECK(version.out.contains("Moorhaze"));
    const test::Scratch scratch;
    const QString script = QString::fromStdString((scratch / "steps").string());
    auto scripted = [&](const char* lines) {
        test::write_all(script.toStdString(), lines);
        return run({"--script", script}, false);
    };
    const Ended typo = scripted("merge\nmethod woben\n"), demo = run({"--demo", "heather"}, false);
    CHECK(typo.code == 2);
    CHECK(typo.err.contains("line 2"));
    CHECK(typo.err.contains("woben"));
    CHECK(scripted("conjure").err.contains("there is no 'conjure'"));
    CHECK(scripted("zoom much").err.contains("no number"));
    CHECK(scripted("frame").err.contains("NUMBER"));
    CHECK(run({"--script", "/no/such/steps"}, false).code == 2);
    CHECK(demo.code == 2);
    CHECK(demo.err.contains("lichen-cups"));
}

TEST_CASE("a script that cannot save ends with the reason, not with success", "[window]") {
    const QString folder = QString::fromStdString(test::StripSession::files().folder().string());
    const test::Scratch scratch;
    const QString script = QString::fromStdString((scratch / "steps").string());
    auto scripted = [&](const char* lines) {
        test::write_all(script.toStdString(), lines);
        return run({folder, "--script", script}, true);
    };
    const Ended ended = scripted("merge  # as it is\nsave \"/no/such/folder/a heath.tif\"\nquit\n");
    CHECK(ended.code == 1);
    CHECK(ended.err.contains("/no/such/folder/a heath.tif"));
    const Ended nothing = scripted("save /tmp/heath.tif\nquit\n");
    CHECK(nothing.code == 1);
    CHECK(nothing.err.contains("Nothing is merged yet"));
}

TEST_CASE("window, command line and a written project give the same pixels for the same decisions",
          "[window][steps]") {
    const test::Scratch scratch;
    test::StripSession own;
    Session& session = own.session;
    session.culling.set_range({1, 4});
    session.culling.set_reference(session.document.id_at(2));
    MergeChoice choice = session.merging.choice();
    choice.method = "depth";
    choice.settings.seam_width_px = 3;
    choice.backdrop = session.document.id_at(4);
    session.merging.set_choice(choice, "recipe");
    session.aligning.set_kept(KeptArea::reference);
    own.merge();
    session.exporter.save(QString::fromStdString((scratch / "window.tif").string()), Output{}, false);
    wait_until([&] { return !session.jobs.busy(); });
    QProcess process;
    process.start(QStringLiteral(MOORHAZE_CLI),
                  {"merge", QString::fromStdString(test::StripSession::files().folder().string()), "-o",
                   QString::fromStdString((scratch / "line.tif").string()), "--range", "2-5", "--reference",
                   "3", "--method", "depth", "--seam-width", "3", "--backdrop", "5", "--no-crop",
                   "--keep-flagged", "--quiet"});
    REQUIRE(process.waitForFinished(120'000));
    INFO(process.readAllStandardError().toStdString());
    REQUIRE(process.exitCode() == 0);
    const Picture window = read_picture(scratch / "window.tif"), line = read_picture(scratch / "line.tif");
    CHECK(cv::norm(window.pixels, line.pixels, cv::NORM_INF) == 0);
}

TEST_CASE("at 1280x800 every stage's violet button is in sight, one a tray", "[window]") {
    MainWindow main;
    open_strip_window(main);
    merge(main);
    main.resize(1280, 800);
    for (int stage = 0; stage < kStageCount; ++stage) {
        main.session().standpoint.set_stage(Stage(stage));
        QTest::qWait(20);
        int violet = 0;
        for (QPushButton* button : main.findChildren<QPushButton*>()) {
            if (!button->isVisible() || button->property("role") != "next") continue;
            ++violet;
            const QRect place(button->mapTo(&main, QPoint()), button->size());
            INFO("stage " << stage << ", " << button->text().toStdString());
            CHECK(main.rect().contains(place));
            CHECK(button->visibleRegion().boundingRect() == button->rect());
        }
        INFO("stage " << stage);
        CHECK(violet == 1);
    }
    settle(main);
}

TEST_CASE("what needs no answer leaves by itself, what went wrong stays", "[window]") {
    MainWindow main;
    main.show();
    CHECK(NoticeBar::reading_ms("") >= 2000);
    CHECK(NoticeBar::reading_ms(QString(150, 'h')) > 10'000);
    main.session().notices.notify_error("heather.jpg: gone");
    CHECK(main.notice().isVisible());
    const QRect picture = main.picture_view().geometry();
    // What needs no answer does not cover it; what went wrong later does, and then the former comes back.
    main.session().notices.notify("bog");
    CHECK(main.notice().text() == "heather.jpg: gone");
    main.session().notices.notify_error("cup.jpg: cut off");
    main.session().notices.notify_error("cup.jpg: cut off");
    CHECK(main.notice().text() == "cup.jpg: cut off");
    QTest::qWait(NoticeBar::reading_ms("bog") + 300);
    CHECK(main.notice().isVisible());
    CHECK(main.picture_view().geometry() == picture);  // nothing moves under a hand
    main.notice().close_shown();
    CHECK(main.notice().text() == "heather.jpg: gone");
    main.notice().close_shown();
    CHECK_FALSE(main.notice().isVisible());
    main.session().notices.notify("bog");
    CHECK(main.notice().isVisible());
    wait_until([&] { return !main.notice().isVisible(); }, 10'000);
    // All of it can be read again, what was said twice in a row as one.
    const auto& said = main.session().notices.said();
    REQUIRE(said.size() == 4);
    CHECK(said[1].text == "cup.jpg: cut off");
    CHECK(said[1].times == 2);
}

TEST_CASE("the sounding closes with its stage", "[window]") {
    MainWindow main;
    open_strip_window(main);
    main.point_at({100, 70}, true);
    CHECK(main.session().sounding.is_open());
    main.session().standpoint.set_stage(Stage::align);
    CHECK_FALSE(main.session().sounding.is_open());
    settle(main);
}

TEST_CASE("a sounding leaves the place that it is about free", "[window]") {
    MainWindow main;
    open_strip_window(main);
    auto* panel = main.findChild<SoundingPanel*>();
    REQUIRE(panel);
    PictureView& view = main.picture_view();
    const auto hides = [&] {
        return panel->geometry().contains(view.to_widget(main.session().sounding.place()).toPoint());
    };
    const cv::Size size = main.session().document.series().size();
    bool was_left = false, was_right = false;
    for (const int x : {3, size.width / 2, size.width - 4}) {
        main.point_at({double(x), size.height / 2.0}, true);
        REQUIRE(main.session().sounding.is_open());
        CHECK_FALSE(hides());
        (panel->x() < view.width() / 2 ? was_left : was_right) = true;
        // Threads lead to it from the line only where it stands beside it.
        CHECK(panel->threads().empty() == (panel->x() >= view.width() / 2));
    }
    CHECK(was_left);
    CHECK(was_right);
    settle(main);
}

TEST_CASE("a frame that cannot be read shows nothing, not the frame before it", "[window]") {
    const test::Scratch scratch;
    for (const auto& file : std::filesystem::directory_iterator(test::StripSession::files().folder()))
        std::filesystem::copy_file(file.path(), scratch / file.path().filename());
    MainWindow main;
    main.resize(1000, 700);
    main.show();
    main.open_paths({QString::fromStdString(scratch.folder().string())});
    wait_until([&] { return main.session().looking.is_done(); });
    test::settle(main);
    REQUIRE(main.picture_view().shown_picture());
    // Not one of those around the middle, which are there already.
    std::filesystem::remove(main.session().document.series().frames[0].path);
    main.session().standpoint.set_place(0);
    test::settle(main);
    CHECK_FALSE(main.picture_view().shown_picture());
}

TEST_CASE("what cannot be done is not offered: limits and order without a series, order where it is right",
          "[window]") {
    MainWindow main;
    main.show();
    for (const char* id : {"near-here", "far-here", "put-in-order", "begin-anew", "close-series"})
        CHECK_FALSE(main.commands().action(QLatin1String(id))->isEnabled());
    main.open_paths({QString::fromStdString(test::StripSession::files().folder().string())});
    wait_until([&] { return main.session().looking.is_done(); });
    test::settle(main);
    CHECK(main.commands().action(QStringLiteral("near-here"))->isEnabled());
    CHECK(main.commands().action(QStringLiteral("put-in-order"))->isEnabled() ==
          main.session().products.looked()->order.needs_repair());
}
