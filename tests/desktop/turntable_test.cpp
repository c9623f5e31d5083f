// SPDX-License-Identifier: GPL-3.0-or-later
// A turntable in the real window: its views merged, one crop chosen over all of them, and a page that turns.
#include <QCheckBox>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QLineEdit>

#include "core/files/picture_file.h"
#include "core/sets/set_paths.h"
#include "desktop/tray/plan_tray.h"
#include "desktop/tray/tray_parts.h"
#include "desktop/view/picture_view.h"
#include "tests/desktop/acting.h"
#include "tests/desktop/waiting.h"
#include "tests/support/turned_vase.h"

using namespace moorhaze;
using namespace moorhaze::desktop;
using test::click;
using test::named;
using test::wait_until;
namespace fs = std::filesystem;

namespace {

constexpr int kViews = 4;
const test::TurnedVase kVase{0.5};

/// A window with the views of a small vase, done by a recipe that was made of the first.
struct TurntableWindow {
    test::Scratch scratch;
    MainWindow main;

    TurntableWindow() {
        test::write_turned_views(scratch / "vase", kVase, kViews, 2);
        main.resize(1280, 800);
        main.show();
        main.open_paths({QString::fromStdString((scratch / "vase").string())});
        wait_until([&] { return main.session().looking.is_done() && !main.session().jobs.busy(); });
        Placing placing;
        placing.as_they_lie = true;
        session().document.edit(QStringLiteral("placing"),
                                with_placing(session().document.project(), placing));
        CHECK_FALSE(main.commands().trigger(QStringLiteral("show-views")));
        REQUIRE(main.commands().trigger(QStringLiteral("make-recipe")));
        auto* out = named<QLineEdit>(main, "setOut");
        out->setFocus();
        out->selectAll();
        QTest::keyClicks(out, QString::fromStdString((scratch / "out").string()));
        QTest::keyClick(out, Qt::Key_Return);
        main.setFocus();
        CHECK(named<QCheckBox>(main, "part-turntable")->isChecked());
        click(named<QPushButton>(main, "planNext"));
        wait_until([&] { return !session().set_run.is_running(); });
        INFO(session().set_run.state().toStdString());
        REQUIRE(session().set_run.together());
        CHECK(session().set_run.state() == "4 of 4 series done");
        click(named<QPushButton>(main, "setViews"));
        test::settle(main);
    }
    Session& session() { return main.session(); }
    ViewsLook& look() { return main.session().views_look; }
    QString words(const char* name) { return named<QLabel>(main, name)->text(); }
    /// Green of what is seen so far from the axis where the vase is widest; 255 is white.
    int seen(double across) {
        const DisplayPicture& picture = *look().picture();
        const QPointF place(look().look()->axis_x + across, 204 * kVase.scale);
        const QPointF at = (place - QPointF(picture.origin())) / picture.scale();
        return qGreen(picture.levels()[0].pixel(at.toPoint()));
    }
    Picture written(int view) {
        return read_picture(scratch / "out" / ("vase-0" + std::to_string(view) + ".jpg"));
    }
};

}  // namespace

TEST_CASE("one crop for all views of a turntable is dragged over all of them at once",
          "[desktop][sets][turntable]") {
    TurntableWindow window;
    CHECK(window.session().standpoint.finish_page() == FinishPage::views);
    REQUIRE(window.look().views() == kViews);
    // The darkest of all shows the vase at both ends of its way, the lightest at none, one view at one.
    const double side = kVase.reach() - 3;
    CHECK((window.seen(side) < 150 && window.seen(-side) < 150));
    click(named<QPushButton>(window.main, "viewsShown1"));
    test::settle(window.main);
    CHECK((window.seen(side) > 180 && window.seen(-side) > 180));
    auto* number = named<ValueRow>(window.main, "viewSeen")->field();
    CHECK(number->maximum() == kViews);
    number->setValue(3);  // half a turn
    test::settle(window.main);
    CHECK(named<QPushButton>(window.main, "viewsShown3")->isChecked());
    CHECK((window.seen(side) > 180 && window.seen(-side) < 150));
    CHECK(window.main.picture_view().caption().contains("view 3 of 4"));

    // Around the object first, then dragged: its right edge inwards.
    const PixelRect around = window.look().crop();
    CHECK(window.words("viewsState")
              .contains(QStringLiteral("%1 x %2 px").arg(around.width).arg(around.height)));
    test::drag(window.main.picture_view(), {around.br().x - 0.5, around.y + around.height / 2.0},
               {around.br().x - 20.5, around.y + around.height / 2.0});
    const PixelRect crop = window.look().crop();
    CHECK(crop.x == around.x);
    CHECK(std::abs(around.width - crop.width - 20) <= 1);
    CHECK(window.words("viewsState").contains(QStringLiteral("%1 x").arg(crop.width)));

    // One drag is one step.
    REQUIRE(window.main.commands().trigger(QStringLiteral("undo")));
    CHECK(window.look().crop() == around);
    REQUIRE(window.main.commands().trigger(QStringLiteral("redo")));
    CHECK(window.look().crop() == crop);

    // All leave with it, and none is merged again for it.
    const fs::path merged = SetPaths(window.scratch / "out" / "moorhaze-set").view("view-02");
    const auto was_merged = fs::last_write_time(merged);
    click(named<QPushButton>(window.main, "finishViews"));
    wait_until([&] { return !window.session().set_run.is_running(); });
    REQUIRE(window.session().set_run.together());
    INFO(window.session().set_run.state().toStdString());
    CHECK(window.session().set_run.together()->is_made());
    CHECK(fs::last_write_time(merged) == was_merged);
    for (int view = 1; view <= kViews; ++view) {
        const Picture own = window.written(view);
        CHECK(std::max(own.width(), own.height()) == 1500);
        CHECK(double(own.width()) / own.height() == Approx(double(crop.width) / crop.height).epsilon(0.01));
    }
    // Back around the object.
    REQUIRE(window.main.commands().trigger(QStringLiteral("crop-views")));
    CHECK(window.look().crop() == around);
    test::settle(window.main);
    // In another stage nothing of it is kept; without the turntable there is no such page.
    window.session().standpoint.set_stage(Stage::plan);
    CHECK_FALSE(window.look().look());
    window.session().set_recipe.set_carried(RecipePart::turntable, false);
    window.session().standpoint.set_stage(Stage::finish);
    QTest::qWait(20);
    CHECK_FALSE(named<QPushButton>(window.main, "finishPage6")->isVisible());
    CHECK(window.session().standpoint.finish_page() == FinishPage::frame);
}

TEST_CASE("the finished views of a turntable become a spin page with one click",
          "[desktop][sets][turntable]") {
    TurntableWindow window;
    CHECK_FALSE(named<QPushButton>(window.main, "openSpinPage")->isEnabled());
    auto* deep_zoom = named<QCheckBox>(window.main, "spinDeepZoom");
    QTest::mouseClick(deep_zoom, Qt::LeftButton, {}, QPoint(8, deep_zoom->height() / 2));
    CHECK_FALSE(window.look().has_deep_zoom());
    click(named<QPushButton>(window.main, "makeSpinPage"));
    wait_until([&] { return !window.session().jobs.busy(); });
    const fs::path folder = window.scratch / "out" / "vase-spin";
    CHECK(window.look().spin_page().toStdString() == (folder / "index.html").string());
    CHECK(fs::exists(folder / "views"));
    CHECK_FALSE(fs::exists(folder / "tiles"));
    test::settle(window.main);
    CHECK(named<QPushButton>(window.main, "openSpinPage")->isEnabled());
    // With tiles it is made again over itself.
    QTest::mouseClick(deep_zoom, Qt::LeftButton, {}, QPoint(8, deep_zoom->height() / 2));
    click(named<QPushButton>(window.main, "makeSpinPage"));
    wait_until([&] { return !window.session().jobs.busy(); });
    CHECK(fs::exists(folder / "tiles"));
}
