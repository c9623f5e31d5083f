// SPDX-License-Identifier: GPL-3.0-or-later
// Bring in and Cull in the real window: cards, order, quick merge, pointing at depth, single frames.
#include <QCheckBox>
#include <QDoubleSpinBox>
#include <QFileDialog>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSlider>
#include <QTimer>
#include <random>

#include "core/files/exif_block.h"
#include "desktop/tray/plan_tray.h"
#include "desktop/tray/tray_parts.h"
#include "desktop/view/bars.h"
#include "desktop/view/depth_line.h"
#include "desktop/view/picture_view.h"
#include "tests/desktop/acting.h"
#include "tests/desktop/asking.h"
#include "tests/desktop/waiting.h"
#include "tests/support/dng.h"
#include "tests/support/series_files.h"

using namespace moorhaze;
using namespace moorhaze::desktop;
using test::click;
using test::mean_difference;
using test::named;
using test::settle;
using test::started_window;
using test::wait_until;

namespace {

constexpr int kStrips = 10;
const cv::Size kCullSize{480, 240};

/// Frames of a strip series in any order, without focus distances, as JPEG; the k-th file shows frame
/// order[k].
QString write_strips(const test::Scratch& scratch, const char* folder, const std::vector<int>& order,
                     int first_second = 0) {
    const auto pictures = test::strip_series(kCullSize, kStrips);
    std::filesystem::create_directories(scratch / folder);
    for (std::size_t k = 0; k < order.size(); ++k) {
        ShootingData data;
        char text[40];
        std::snprintf(text, sizeof text, "2026-09-12 08:%02d:%02d", (first_second + 3 * int(k)) / 60,
                      (first_second + 3 * int(k)) % 60);
        data.taken = text;
        data.exif = exif_block(data, kCullSize.width);
        std::snprintf(text, sizeof text, "f%02d.jpg", int(k) + 1);
        write_picture(scratch / folder / text, with_bits(pictures[std::size_t(order[k])], 8), data,
                      {FileFormat::jpeg, 8, 95, true, {}}, {});
    }
    return QString::fromStdString((scratch / folder).string());
}

std::vector<int> rising() {
    std::vector<int> order;
    for (int i = 0; i < kStrips; ++i) order.push_back(i);
    return order;
}

void open(MainWindow& main, const QString& folder) {
    main.open_paths({folder});
    wait_until([&] { return main.session().looking.is_done(); });
    settle(main);
}

/// Middle of a strip in the widget.
QPoint strip_place(MainWindow& main, double strip) {
    return main.picture_view()
        .to_widget(QPointF((strip + 0.5) / kStrips * kCullSize.width, kCullSize.height / 2.0))
        .toPoint();
}

std::vector<std::string> names(const Session& session) {
    std::vector<std::string> list;
    for (const Frame& frame : session.document.series().frames)
        list.push_back(frame.path.filename().string());
    return list;
}

}  // namespace

TEST_CASE("drawing across the picture keeps what was drawn over, a click moves the nearer limit",
          "[desktop][cull]") {
    const test::Scratch scratch;
    const auto main = started_window();
    open(*main, write_strips(scratch, "strips", rising()));
    Session& session = main->session();
    auto& view = main->picture_view();
    click(named<QPushButton>(*main, "keep"));
    CHECK(view.line_drawing());
    QTest::mousePress(&view, Qt::LeftButton, {}, strip_place(*main, 3));
    for (double strip = 3; strip <= 6; strip += 0.1) QTest::mouseMove(&view, strip_place(*main, strip));
    QTest::mouseRelease(&view, Qt::LeftButton, {}, strip_place(*main, 6));
    CHECK(session.document.series().range == FrameRange{2, 7});  // strips 3 to 6, one to spare
    CHECK_FALSE(view.line_drawing());
    CHECK_FALSE(named<QPushButton>(*main, "keep")->isChecked());
    QTest::keyClick(main.get(), Qt::Key_Z, Qt::ControlModifier);
    CHECK(session.document.series().range == FrameRange{0, 9});

    QTest::keyClick(main.get(), Qt::Key_K);
    QTest::mouseClick(&view, Qt::LeftButton, {}, strip_place(*main, 2));
    CHECK(session.document.series().range == FrameRange{2, 9});
    CHECK(session.standpoint.place() == 2);
    QTest::keyClick(main.get(), Qt::Key_K);
    QTest::mouseClick(&view, Qt::LeftButton, {}, strip_place(*main, 7));
    CHECK(session.document.series().range == FrameRange{2, 7});
    // Escape gives it up, and the left button pans again.
    QTest::keyClick(main.get(), Qt::Key_K);
    QTest::keyClick(main.get(), Qt::Key_Escape);
    CHECK_FALSE(view.line_drawing());
}

TEST_CASE("the quick merge shows the range and follows its handles", "[desktop][cull]") {
    const test::Scratch scratch;
    const auto main = started_window();
    open(*main, write_strips(scratch, "strips", rising()));
    auto& view = main->picture_view();
    const QImage frame = view.grab().toImage();
    QTest::keyClick(main.get(), Qt::Key_Q);
    CHECK(named<QPushButton>(*main, "quickLook")->isChecked());
    settle(*main);
    const QImage whole = view.grab().toImage();
    CHECK(mean_difference(frame, whole) > 1);
    // The far handle dragged to the middle: the far half turns soft, the near half stays.
    auto& line = main->depth_line();
    QTest::mousePress(&line, Qt::LeftButton, {}, line.handle_rect(true).center().toPoint());
    QTest::mouseMove(&line, QPoint(95, int(line.y_of(4.5))));
    wait_until([&] { return main->session().quick_look.is_settled(); });
    QTest::mouseRelease(&line, Qt::LeftButton, {}, QPoint(95, int(line.y_of(4.5))));
    settle(*main);
    CHECK(main->session().document.series().range == FrameRange{0, 4});
    const QImage half = view.grab().toImage();
    const QRect near(strip_place(*main, 0.5).x(), strip_place(*main, 0).y() - 60, 150, 120),
        far(strip_place(*main, 7).x(), strip_place(*main, 0).y() - 60, 150, 120);
    CHECK(mean_difference(whole.copy(far), half.copy(far)) > 3);
    CHECK(mean_difference(whole.copy(near), half.copy(near)) < 1);
    click(named<QPushButton>(*main, "quickLook"));
    settle(*main);
    CHECK_FALSE(main->session().standpoint.quick_look());
}

TEST_CASE("frames out of order are reported, put in order by a key, and moved by hand", "[desktop][cull]") {
    const test::Scratch scratch;
    const auto main = started_window();
    auto order = rising();
    std::shuffle(order.begin(), order.end(), std::mt19937(4));
    open(*main, write_strips(scratch, "strips", order));
    Session& session = main->session();
    auto* warning = named<QLabel>(*main, "order");
    CHECK(warning->isVisible());
    CHECK(warning->text().contains("out of order"));
    const auto before = names(session);
    session.culling.set_used(session.document.id_at(0), false);
    const std::string left_out = before[0];

    QTest::keyClick(main.get(), Qt::Key_O);
    QTest::keyClick(main.get(), Qt::Key_O);  // twice in haste is once
    wait_until([&] { return !session.jobs.busy(); });
    settle(*main);
    std::vector<int> found;
    for (const std::string& name : names(session))
        found.push_back(order[std::size_t(std::stoi(name.substr(1))) - 1]);
    if (found.front() > found.back()) std::reverse(found.begin(), found.end());
    CHECK(found == rising());
    CHECK_FALSE(warning->isVisible());
    for (const Frame& frame : session.document.series().frames)
        CHECK(frame.used == (frame.path.filename() != left_out));
    QTest::keyClick(main.get(), Qt::Key_Z, Qt::ControlModifier);
    settle(*main);
    CHECK(names(session) == before);
    CHECK_FALSE(session.document.series().frames[0].used);

    session.standpoint.set_place(3);
    QTest::keyClick(main.get(), Qt::Key_PageUp, Qt::ControlModifier);
    settle(*main);
    CHECK(session.standpoint.place() == 4);
    CHECK(names(session)[4] == before[3]);
    CHECK(names(session)[3] == before[4]);
    QTest::keyClick(main.get(), Qt::Key_R, Qt::ControlModifier);
    settle(*main);
    CHECK(names(session)[5] == before[3]);
}

TEST_CASE("a card of two series is listed, opened by a click, cut and joined by hand", "[desktop][cull]") {
    const test::Scratch scratch;
    const auto main = started_window();
    write_strips(scratch, "card/heath-1", rising());
    write_strips(scratch, "card/heath-2", {0, 1, 2, 3, 4, 5}, 600);
    open(*main, QString::fromStdString((scratch / "card").string()));
    Session& session = main->session();
    CHECK(session.standpoint.stage() == Stage::plan);
    auto* list = named<RowList>(*main, "seriesFound");
    REQUIRE(list->isVisible());
    REQUIRE(list->count() == 2);
    CHECK(list->row(0).words.contains("heath-1"));
    CHECK(list->row(1).words.contains("6 frames, another folder"));
    wait_until([&] { return !list->row(1).picture.isNull(); });

    QTest::mouseClick(list->viewport(), Qt::LeftButton, {},
                      list->visualRect(list->model()->index(1, 0)).center());
    wait_until([&] { return session.document.series().count() == 6 && session.looking.is_done(); });
    CHECK(session.document.project().card_place == 1);
    session.standpoint.set_place(2);
    click(named<QPushButton>(*main, "cutSeries"));
    wait_until([&] { return session.document.series().count() == 2 && session.looking.is_done(); });
    CHECK(list->count() == 3);
    click(named<QPushButton>(*main, "joinSeries"));
    wait_until([&] { return session.document.series().count() == 6 && session.looking.is_done(); });
    CHECK(list->count() == 2);
    CHECK_FALSE(named<QPushButton>(*main, "joinSeries")->isEnabled());
}

TEST_CASE("the frame shown is saved alone, and read back the same", "[desktop][cull]") {
    const test::Scratch scratch;
    const auto main = started_window();
    open(*main, write_strips(scratch, "strips", rising()));
    main->session().standpoint.set_place(6);
    const QString file = QString::fromStdString((scratch / "alone.png").string());
    QTimer::singleShot(300, qApp, [file] {
        auto* dialog = qobject_cast<QFileDialog*>(QApplication::activeModalWidget());
        REQUIRE(dialog);
        auto* name = dialog->findChild<QLineEdit*>(QStringLiteral("fileNameEdit"));
        REQUIRE(name);
        name->setText(file);
        QTest::keyClick(name, Qt::Key_Return);
    });
    qApp->setAttribute(Qt::AA_DontUseNativeDialogs);
    click(named<QPushButton>(*main, "saveFrame"));
    wait_until([&] { return QFileInfo::exists(file) && !main->session().exports.busy(); });
    const Picture saved = read_picture(file.toStdString()),
                  frame = read_picture(main->session().document.series().frames[6].path);
    CHECK(saved.bits() == 8);
    CHECK(cv::norm(saved.pixels, frame.pixels, cv::NORM_INF) == 0);
    CHECK(main->notice().text().contains("Frame 7 was saved"));
}

TEST_CASE("how much is marked as sharp can be set", "[desktop][cull]") {
    const test::Scratch scratch;
    const auto main = started_window();
    open(*main, write_strips(scratch, "strips", rising()));
    QTest::keyClick(main.get(), Qt::Key_M);
    settle(*main);
    auto* reach = named<ValueRow>(*main, "marksReach");
    CHECK(reach->isVisible());
    reach->field()->setValue(0);
    settle(*main);
    const QImage few = main->picture_view().grab().toImage();
    reach->field()->setValue(100);
    settle(*main);
    const QImage many = main->picture_view().grab().toImage();
    CHECK(mean_difference(few, many) > 1);
}

TEST_CASE("raw frames are brought in, profiled and shown, and mixed settings are reported",
          "[desktop][cull]") {
    const test::Scratch scratch;
    const auto pictures = test::strip_series({320, 160}, 6);
    for (int i = 0; i < 6; ++i) {
        const cv::Mat3w pixels = pictures[std::size_t(i)].pixels;
        test::DngSettings settings;
        settings.size = {320, 160};
        if (i == 4) settings.neutral = {0.45f, 1, 0.7f};
        test::write_dng(scratch / ("f" + std::to_string(i) + ".dng"), settings, [&](int x, int y) {
            const double value = std::pow(pixels(y, x)[1] / 65535.0, 2.2);
            return cv::Vec3d(value, value, value);
        });
    }
    const auto main = started_window();
    open(*main, QString::fromStdString(scratch.folder().string()));
    CHECK(main->session().document.series().count() == 6);
    CHECK(main->session().products.looked()->whole.share[2] > 0.05);
    auto* mixed = named<QLabel>(*main, "mixed");
    CHECK(mixed->isVisible());
    CHECK(mixed->text().contains("White balances noted in raw files differ"));
    CHECK(mixed->text().contains("frame 5"));
    // Developed anew: brighter, with the white balance of another frame.
    main->session().standpoint.set_stage(Stage::plan);
    main->session().standpoint.set_place(4);
    const double before = main->session().products.looked()->profiles[2].brightness;
    auto* exposure = named<ValueRow>(*main, "rawExposure");
    exposure->field()->setValue(0.5);
    click(named<QPushButton>(*main, "rawFromFrame"));
    click(named<QPushButton>(*main, "rawDevelop"));
    wait_until([&] { return main->session().looking.is_done(); });
    settle(*main);
    const Development& now = main->session().document.series().frames[0].development;
    CHECK(now.red == Approx(1 / 0.45).epsilon(0.005));
    CHECK(main->session().products.looked()->profiles[2].brightness > 1.2 * before);
    CHECK(main->session().standpoint.place() == 4);
    // The picture is there, not grey: the strips' texture varies.
    const QImage shown = main->picture_view().grab().toImage();
    const QPoint middle(shown.width() / 2, shown.height() / 2);
    CHECK(mean_difference(shown.copy(QRect(middle, QSize(60, 60))),
                          shown.copy(QRect(middle + QPoint(31, 17), QSize(60, 60)))) > 2);
}

TEST_CASE("frames get another order with results there, too: a result knows its frames by name",
          "[desktop][cull]") {
    const test::Scratch scratch;
    const auto main = started_window();
    open(*main, write_strips(scratch, "strips", rising()));
    Session& session = main->session();
    QTest::keyClick(main.get(), Qt::Key_Return, Qt::ControlModifier);
    wait_until([&] { return session.standpoint.result() != nullptr; });
    settle(*main);
    const auto before = names(session);
    auto backwards = before;
    std::reverse(backwards.begin(), backwards.end());
    session.standpoint.set_stage(Stage::mend);
    main->point_at({20, 100}, true);
    settle(*main);
    const auto used = session.sounding.frame_in_use();
    REQUIRE(used);
    session.culling.turn_round();
    settle(*main);
    CHECK(names(session) == backwards);
    CHECK_FALSE(session.merging.is_current());
    // The place still comes from the very frame, whatever its number is now.
    main->point_at({20, 100}, true);
    settle(*main);
    CHECK(session.sounding.frame_in_use() == used);
    // Undo, redo and undo again: once each, with the result and without it.
    session.document.undo();
    settle(*main);
    CHECK(names(session) == before);
    CHECK(session.merging.is_current());
    session.merging.drop(session.standpoint.result()->id);
    session.document.undo();
    CHECK(test::results(session).size() == 1);
    session.document.redo();
    session.document.undo();
    settle(*main);
    CHECK(names(session) == before);
    session.culling.set_used(session.document.id_at(2), false);
    session.culling.turn_round();
    settle(*main);
    session.document.undo();
    session.document.undo();
    CHECK(names(session) == before);
    for (const Frame& frame : session.document.series().frames) CHECK(frame.used);
    settle(*main);
}
