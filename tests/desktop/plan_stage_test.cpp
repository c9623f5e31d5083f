// SPDX-License-Identifier: GPL-3.0-or-later
// The Plan stage in the real window: numbers, devices, a shoot with its mishaps, a watched folder.
#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QFile>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QStandardPaths>
#include <QToolButton>

#include "desktop/tray/plan_tray.h"
#include "desktop/view/bars.h"
#include "desktop/view/picture_view.h"
#include "desktop/view/plan_line.h"
#include "tests/desktop/asking.h"
#include "tests/desktop/waiting.h"

using namespace moorhaze;
using namespace moorhaze::desktop;
using test::wait_until;
using Kind = rig::BenchFault::Kind;

namespace {

/// The window on the Plan stage, its devices small enough for tests.
struct PlanWindow {
    MainWindow window;
    test::Scratch scratch;

    explicit PlanWindow(std::vector<rig::BenchFault> faults = {}) {
        QStandardPaths::setTestModeEnabled(true);
        rig::BenchSettings bench;
        bench.width_px = 240;
        bench.height_px = 160;
        bench.rays = {3, 10, 0.04f};
        bench.noise = 0;
        bench.faults = std::move(faults);
        window.session().shoot_desk.set_bench_defaults(bench);
        window.show();
        window.activateWindow();
        REQUIRE(QTest::qWaitForWindowActive(&window));
    }

    ShootDesk& desk() { return window.session().shoot_desk; }
    template <class Widget>
    Widget* named(const char* name) {
        auto* found = window.findChild<Widget*>(QString::fromLatin1(name));
        INFO(name);
        REQUIRE(found);
        return found;
    }
    void click(const char* name) {
        auto* button = named<QPushButton>(name);
        INFO(name);
        REQUIRE(button->isVisible());
        REQUIRE(button->isEnabled());
        QTest::mouseClick(button, Qt::LeftButton);
    }
    void key(int key, Qt::KeyboardModifiers modifiers = Qt::NoModifier) {
        QTest::keyClick(&window, Qt::Key(key), modifiers);
    }
    void type(const char* name, const char* text) {
        auto* field = named<QDoubleSpinBox>(name);
        field->setFocus();
        field->selectAll();
        QTest::keyClicks(field, QString::fromLatin1(text));
    }
    std::string outcome() { return named<QLabel>("outcome")->text().toStdString(); }

    /// Devices before the knob, live, both marks set by driving and keys.
    void make_ready(double depth_mm = 8) {
        click("planPage1");
        auto* source = named<QComboBox>("shootSource");
        source->setCurrentIndex(source->findData(QStringLiteral("glazed-knob")));
        click("connectDevices");
        wait_until([&] { return desk().shows_live(); });
        drive(4);
        key(Qt::Key_BracketLeft);
        drive(4 + depth_mm);
        key(Qt::Key_BracketRight);
        // Judged finely, so that so small frames need some steps.
        ShootSetup setup = desk().setup();
        setup.sharp_by = SharpBy::typed;
        setup.circle_mm = 0.012;
        desk().set_setup(setup, QStringLiteral("sharpness"));
        REQUIRE(desk().why_not().toStdString() == "");
        auto* folder = named<QLineEdit>("shootFolder");
        folder->setFocus();
        folder->selectAll();
        QTest::keyClicks(folder, run_folder());
    }
    void drive(double mm) {
        desk().drive_to(mm);
        wait_until([&] { return std::abs(desk().position_mm() - mm) < 0.01; });
    }
    QString run_folder() { return QString::fromStdString((scratch / "run").string()); }
    int files() { return int(QDir(run_folder()).entryList({QStringLiteral("*.jpg")}, QDir::Files).size()); }
    void wait_for(ShootState state) {
        wait_until([&] { return desk().state() == state; }, 120'000);
    }
};

}  // namespace

TEST_CASE("typing changes what comes of it at once, and undo takes it back", "[plan]") {
    PlanWindow plan;
    plan.click("planPage0");
    const std::string before = plan.outcome();
    CHECK(before.find("27 frames") == 0);
    plan.type("subject_depth_mm", "40");
    CHECK(plan.outcome() != before);
    CHECK(plan.desk().setup().subject_depth_mm == 40);
    CHECK(plan.desk().plan().steps.frames.size() > 45);
    plan.type("overlap", "0");
    CHECK(plan.desk().setup().overlap == 0);
    plan.window.picture_view().setFocus();
    plan.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(plan.desk().setup().overlap == Approx(0.3));
    plan.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(plan.outcome() == before);
    // The field's width follows from the magnification, and the other way round.
    plan.type("field_width", "36");
    CHECK(plan.desk().setup().magnification == Approx(1));
}

TEST_CASE("impossible values are explained beside their field", "[plan]") {
    PlanWindow plan;
    plan.click("planPage0");
    const struct {
        const char *field, *value, *part;
    } cases[] = {{"f_number", "0", "no f/0"},
                 {"subject_depth_mm", "-5", "swap"},
                 {"overlap", "100", "step of nothing"},
                 {"card_frames", "3", "card holds 3"}};
    for (const auto& one : cases) {
        INFO(one.field);
        const ShootSetup good = plan.desk().setup();
        if (std::string(one.field) == "card_frames") {
            // Folded away; a person opens the section first.
            for (auto* section : plan.window.findChildren<QToolButton*>())
                if (section->text().startsWith("Light")) section->click();
        }
        plan.type(one.field, one.value);
        auto* problem = plan.named<QLabel>(("problem-" + std::string(one.field)).c_str());
        CHECK(problem->isVisible());
        CHECK(problem->text().toLower().toStdString().find(one.part) != std::string::npos);
        CHECK(plan.outcome().find("cannot") != std::string::npos);
        plan.desk().set_setup(good, "back");
        CHECK_FALSE(problem->isVisible());
    }
}

TEST_CASE("another f-number is one click away", "[plan]") {
    PlanWindow plan;
    plan.click("planPage0");
    emit plan.named<QLabel>("stops")->linkActivated(QStringLiteral("5.6"));
    CHECK(plan.desk().setup().f_number == Approx(5.6));
}

TEST_CASE("a setup is saved by name and chosen again", "[plan]") {
    PlanWindow plan;
    plan.click("planPage0");
    for (auto* section : plan.window.findChildren<QToolButton*>())
        if (section->text().startsWith("Saved")) section->click();
    QDir(SavedSetups::folder()).removeRecursively();
    plan.type("f_number", "11");
    auto* saved = plan.named<QComboBox>("savedSetups");
    saved->lineEdit()->setFocus();
    saved->lineEdit()->selectAll();
    QTest::keyClicks(saved->lineEdit(), "knob on slate");
    plan.click("saveSetup");
    CHECK(QFile::exists(QDir(SavedSetups::folder()).filePath("knob on slate.json")));
    plan.type("f_number", "4");
    REQUIRE(plan.desk().setup().f_number == 4);
    REQUIRE(saved->findText("knob on slate") >= 0);
    emit saved->textActivated("knob on slate");
    CHECK(plan.desk().setup().f_number == 11);
    // A damaged one is reported, and changes nothing.
    test::write_all((QDir(SavedSetups::folder()).filePath("bad.json")).toStdString(), "{");
    plan.window.session().saved_setups.load("bad");
    CHECK(plan.window.notice().text().contains("bad.json"));
    CHECK(plan.desk().setup().f_number == 11);
}

TEST_CASE("a shoot from live view to Cull", "[plan]") {
    PlanWindow plan;
    CHECK(plan.desk().state() == ShootState::off);
    plan.make_ready();
    CHECK(plan.named<QLabel>("markedDepth")->text().contains("8.00 mm deep"));
    // Driving by key moves the plane by a step.
    const double before = plan.desk().position_mm();
    plan.window.setFocus();
    plan.key(Qt::Key_PageUp);
    wait_until([&] { return plan.desk().position_mm() > before; });
    // And by a click on the line.
    QTest::mouseClick(&plan.window.plan_line(), Qt::LeftButton, {},
                      QPoint(95, int(plan.window.plan_line().y_of(2))));
    wait_until([&] { return std::abs(plan.desk().position_mm() - 6) < 0.3; });

    const int planned = int(plan.desk().plan().steps.frames.size());
    REQUIRE(planned > 2);
    plan.key(Qt::Key_Return, Qt::ControlModifier);
    CHECK(plan.desk().state() == ShootState::running);
    plan.wait_for(ShootState::done);
    CHECK(plan.files() == planned);
    CHECK(plan.desk().run().troubles().empty());
    CHECK(plan.window.session().standpoint.stage() == Stage::cull);
    CHECK(plan.window.session().document.series().count() == planned);
    CHECK(plan.window.session().looking.is_done());
    CHECK(int(plan.window.session().products.looked()->whole.share.size()) == planned);
    test::settle(plan.window);
    // The series is a series like any other.
    const ShootingData data = plan.window.session().document.series().frames[0].info.shooting;
    CHECK(data.f_number == Approx(10));
}

TEST_CASE("a misfire is reported at once and can be shot again", "[plan]") {
    PlanWindow plan({{Kind::misfire, 2}});
    plan.make_ready();
    plan.click("planNext");
    wait_until([&] { return !plan.desk().run().troubles().empty(); });
    CHECK(plan.desk().run().troubles()[0].station == 1);
    CHECK(plan.desk().run().shot() <= 3);  // at once, not at the end
    plan.wait_for(ShootState::done);
    CHECK(plan.window.session().standpoint.stage() == Stage::plan);  // it is doubtful: not on to Cull unasked
    const double dark = plan.window.session().products.looked()->profiles[1].brightness;
    CHECK(plan.named<RowList>("troubles")->count() == 1);
    plan.click("shootAgain");
    wait_until(
        [&] { return plan.desk().run().troubles().empty() && plan.desk().state() == ShootState::done; });
    CHECK(plan.window.session().products.looked()->profiles[1].brightness > 10 * dark);
    CHECK(plan.window.session().document.series().count() == plan.files());
}

TEST_CASE("a lost link keeps the frames and goes on at the right place", "[plan]") {
    PlanWindow plan({{Kind::link_lost, 3}});
    plan.make_ready();
    const int planned = int(plan.desk().plan().steps.frames.size());
    plan.click("planNext");
    plan.wait_for(ShootState::interrupted);
    CHECK(plan.files() == 2);
    CHECK(plan.window.notice().text().contains("2 frames"));
    plan.click("planNext");
    plan.wait_for(ShootState::done);
    CHECK(plan.files() == planned);
    CHECK(plan.window.session().document.series().count() == planned);
}

TEST_CASE("pause, go on, and enough", "[plan]") {
    PlanWindow plan;
    plan.make_ready(20);
    plan.click("planNext");
    wait_until([&] { return plan.desk().run().shot() >= 1; });
    plan.click("planNext");
    plan.wait_for(ShootState::paused);
    const int there = plan.desk().run().shot();
    QTest::qWait(300);
    CHECK(plan.desk().run().shot() == there);
    plan.click("planNext");
    wait_until([&] { return plan.desk().run().shot() > there; });
    plan.click("stopEarly");
    plan.wait_for(ShootState::done);
    CHECK(plan.files() == plan.desk().run().shot());
    CHECK(plan.desk().run().shot() < int(plan.desk().plan().steps.frames.size()));
    CHECK(plan.window.session().standpoint.stage() == Stage::cull);
}

TEST_CASE("a shutter too fast for the flash is warned of, and its band is seen in the first frame",
          "[plan]") {
    PlanWindow plan;
    plan.make_ready();
    ShootSetup setup = plan.desk().setup();
    setup.shutter_s = 1.0 / 320;
    plan.desk().set_setup(setup, "shutter");
    CHECK(plan.named<QLabel>("problem-shutter_s")->text().contains("dark"));
    plan.click("planNext");
    wait_until([&] { return !plan.desk().run().troubles().empty(); });
    CHECK(plan.desk().run().troubles()[0].station == 0);
    CHECK(plan.desk().run().troubles()[0].what.contains("band"));
    plan.desk().stop_early();
}

TEST_CASE("a turntable set has a folder for each view", "[plan]") {
    PlanWindow plan;
    plan.make_ready(3);
    ShootSetup setup = plan.desk().setup();
    setup.views = 2;
    plan.desk().set_setup(setup, "views");
    plan.click("planNext");
    plan.wait_for(ShootState::done);
    const int each = int(plan.desk().plan().steps.frames.size());
    for (const char* view : {"view-01", "view-02"})
        CHECK(QDir(plan.run_folder() + "/" + view).entryList({QStringLiteral("*.jpg")}).size() == each);
    CHECK(plan.window.session().document.series().count() == each);
}

TEST_CASE("a folder that is used already is refused in words, and nothing is overwritten", "[plan]") {
    PlanWindow plan;
    plan.make_ready(3);
    QDir().mkpath(plan.run_folder());
    test::write_all((plan.run_folder() + "/frame-001.jpg").toStdString(), "mine");
    plan.click("planNext");
    CHECK(plan.window.notice().text().contains("holds files"));
    CHECK(plan.desk().state() == ShootState::live);
    CHECK(test::read_all((plan.run_folder() + "/frame-001.jpg").toStdString()) == "mine");
}

TEST_CASE("marks can be undone, and a far mark before the near one is explained", "[plan]") {
    PlanWindow plan;
    plan.make_ready();
    plan.drive(1);
    plan.window.setFocus();
    plan.key(Qt::Key_BracketRight);
    CHECK(plan.desk().why_not().contains("swap"));
    CHECK_FALSE(plan.named<QPushButton>("planNext")->isEnabled());
    plan.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(plan.desk().far_mark_mm() == Approx(12));
    CHECK(plan.desk().why_not().isEmpty());
}

TEST_CASE("frames that appear in a watched folder join the series when they are whole", "[plan]") {
    PlanWindow plan;
    const QString demo = test::small_demo(plan.scratch);
    const auto in = (plan.scratch / "tether").string();
    QDir().mkpath(QString::fromStdString(in));
    plan.window.session().folder_watch.start(QString::fromStdString(in));
    CHECK(plan.window.session().folder_watch.is_on());
    const std::string first = test::read_all((demo + "/frame-001.jpg").toStdString());
    test::write_all(in + "/a-1.jpg", first.substr(0, first.size() / 2));
    QTest::qWait(1500);
    CHECK_FALSE(plan.window.session().document.has_series());
    test::write_all(in + "/a-1.jpg", first);
    test::write_all(in + "/a-2.jpg", test::read_all((demo + "/frame-002.jpg").toStdString()));
    wait_until([&] { return plan.window.session().document.series().count() == 2; });
    CHECK(plan.window.session().looking.is_done());
    plan.window.session().folder_watch.stop();
    CHECK_FALSE(plan.window.session().folder_watch.is_on());
    plan.window.session().folder_watch.start(QString::fromStdString(in + "-missing"));
    CHECK(plan.window.notice().text().contains("missing"));
}

TEST_CASE("what is sharp is marked over the frame shown, by key and by box", "[plan]") {
    PlanWindow plan;
    plan.window.open_paths({test::small_demo(plan.scratch)});
    wait_until([&] { return plan.window.session().looking.is_done(); });
    test::settle(plan.window);
    auto violet = [&] {
        const QImage shown = plan.window.picture_view().grab().toImage();
        int count = 0;
        for (int y = 0; y < shown.height(); ++y)
            for (int x = 0; x < shown.width(); ++x) {
                const QColor colour = shown.pixelColor(x, y);
                count += colour.red() > colour.green() + 50 && colour.blue() > colour.green() + 70;
            }
        return count;
    };
    const int before = violet();
    plan.window.setFocus();
    plan.key(Qt::Key_M);
    test::settle(plan.window);
    CHECK(violet() > before + 200);
    CHECK(plan.named<QCheckBox>("sharpMarks")->isChecked());
    QTest::mouseClick(plan.named<QCheckBox>("sharpMarks"), Qt::LeftButton, {}, QPoint(8, 10));
    test::settle(plan.window);
    CHECK(violet() == before);
}

TEST_CASE("a turntable goes on while a result of an earlier view waits to be exported",
          "[plan][interrupted]") {
    PlanWindow plan;
    plan.make_ready();
    ShootSetup setup = plan.desk().setup();
    setup.views = 3;
    setup.frames = 3;
    plan.desk().set_setup(setup, "views");
    Session& session = plan.window.session();
    bool merged = false;
    QObject::connect(&plan.desk(), &ShootDesk::progress_changed, &plan.window, [&] {
        // As if the first view had been merged while the second is about to begin.
        if (merged || plan.desk().run().shot() < 3) return;
        merged = true;
        ProjectResult result;
        result.id = session.document.next_result_id();
        result.title = "Woven 1";
        session.document.happened([&](const Project& own) { return with_result(own, result); });
    });
    plan.click("planNext");
    plan.wait_for(ShootState::done);
    CHECK(plan.desk().run().shot() == 9);
    CHECK(plan.files() == 0);  // each view has a folder of its own
    CHECK(QDir(plan.run_folder()).entryList(QDir::Dirs | QDir::NoDotAndDotDot).size() == 3);
    // The window stays with the view whose result is not saved, and loses nothing.
    CHECK(session.document.series().count() == 3);
    REQUIRE(session.document.project().results.size() == 1);
    CHECK_FALSE(plan.desk().run().is_joining());
    CHECK(session.document.series().frames[0].path.parent_path() ==
          std::filesystem::path(plan.run_folder().toStdString()) /
              QDir(plan.run_folder())
                  .entryList(QDir::Dirs | QDir::NoDotAndDotDot, QDir::Name)[0]
                  .toStdString());
}

TEST_CASE("giving the devices back waits for none of them", "[plan][interrupted]") {
    PlanWindow plan;
    plan.make_ready();
    plan.desk().set_quick(false);  // as slow as the devices are
    plan.click("planNext");
    wait_until([&] { return plan.desk().state() == ShootState::running && plan.desk().is_busy(); });
    plan.desk().disconnect_devices();
    CHECK(plan.desk().has_call_under_way());  // it ends by itself
    CHECK(plan.desk().state() == ShootState::off);
    CHECK_FALSE(plan.desk().near_mark_mm());
    // Other devices can be connected at once; they begin when the former have let go.
    plan.desk().set_quick(true);
    rig::BenchSettings bench = plan.desk().bench_defaults();
    bench.scene = "wet-pebbles";
    plan.desk().connect_devices(bench);
    wait_until([&] { return plan.desk().shows_live(); });
    CHECK(plan.desk().scene() == "wet-pebbles");
}
