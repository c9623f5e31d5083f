// Align in the real window: what is measured once and placed anew by choice, drift along the depth line,
// undo.
#include <QCheckBox>
#include <QComboBox>
#include <QLabel>

#include "core/picture/tone_curve.h"
#include "desktop/view/depth_line.h"
#include "tests/desktop/acting.h"
#include "tests/desktop/waiting.h"
#include "tests/support/series_files.h"

using namespace moorhaze;
using namespace moorhaze::desktop;
using test::mean_difference;
using test::named;
using test::settle;
using test::wait_until;

namespace {

constexpr int kFrames = 7;
const cv::Size kSize(480, 240);
const double kGains[kFrames] = {1, 1.15, 0.9, 1, 0.85, 1.1, 0.95};

/// Frames that shift by 2 px to the right and grow by half a percent each, and flicker.
void write_drifting(const test::Scratch& scratch) {
    auto pictures = test::strip_series(kSize, kFrames, [](int i, double x, double y) {
        const double scale = 1 + 0.005 * (i - 3);
        return cv::Point2d(239.5 + scale * (x - 239.5) + 2.0 * (i - 3), 119.5 + scale * (y - 119.5));
    });
    for (int i = 0; i < kFrames; ++i) {
        cv::Mat3f light = to_linear(pictures[std::size_t(i)], ToneCurve({}));
        light *= kGains[i];
        pictures[std::size_t(i)] = from_linear(light, ToneCurve({}), {});
    }
    test::write_series(scratch, pictures);
}

/// As a person does it with the keyboard: the list opens, an arrow goes down, Return takes it.
void choose(QComboBox* choice, int index) {
    choice->setFocus();
    QTest::keyClick(choice, Qt::Key_Home);
    for (int i = 0; i < index; ++i) QTest::keyClick(choice, Qt::Key_Down);
}

}  // namespace

TEST_CASE("frames are measured once; model, levelling and reference place them anew, each a step of undo",
          "[desktop][align]") {
    const test::Scratch scratch;
    write_drifting(scratch);
    MainWindow main;
    main.show();
    main.activateWindow();
    REQUIRE(QTest::qWaitForWindowActive(&main));
    Session& session = main.session();
    main.open_paths({QString::fromStdString(scratch.folder().string())});
    wait_until([&] { return session.is_profiled(); });
    session.set_reference(3);
    session.set_stage(Stage::align);
    settle(main);
    auto* range = named<QLabel>(main, "driftRange");
    CHECK_FALSE(range->isVisible());

    QTest::keyClick(&main, Qt::Key_L, Qt::ControlModifier);
    wait_until([&] { return session.geometry_is_current(); });
    settle(main);
    CHECK(session.geometry()->frames[6].scale() == Approx(1.015).margin(0.004));
    CHECK(session.geometry()->frames[6].shift_px(kSize).x == Approx(6).margin(0.2));
    CHECK(session.geometry()->frames[1].gain() * kGains[1] == Approx(1).margin(0.01));
    CHECK(named<QLabel>(main, "alignSummary")->text().contains("px apart"));
    CHECK(range->isVisible());
    CHECK(range->text().contains("101."));

    // The curve is drawn on the depth line, and goes where it is told.
    QWidget& line = main.depth_line();
    const QImage scale = line.grab().toImage();
    auto* drift = named<QComboBox>(main, "drift");
    choose(drift, 0);
    const QImage none = line.grab().toImage();
    CHECK(mean_difference(scale, none) > 0.3);
    CHECK_FALSE(range->isVisible());
    choose(drift, 4);
    CHECK(mean_difference(line.grab().toImage(), scale) > 0.3);
    CHECK(range->text().contains("EV"));

    // Levelling off by one click, and back by undo.
    QTest::mouseClick(named<QCheckBox>(main, "level"), Qt::LeftButton, {}, QPoint(8, 8));
    wait_until([&] { return session.geometry_is_current(); });
    for (const FrameGeometry& frame : session.geometry()->frames) CHECK(frame.gain() == 1);
    QTest::keyClick(&main, Qt::Key_Z, Qt::ControlModifier);
    wait_until([&] { return session.geometry_is_current(); });
    CHECK(session.geometry()->frames[1].gain() * kGains[1] == Approx(1).margin(0.01));
    CHECK(named<QCheckBox>(main, "level")->isChecked());

    // Shift only: no scale any more.
    PlaceSettings placing = session.placing();
    placing.model = PlaneModel::shift;
    session.set_placing(placing, "movements");
    wait_until([&] { return session.geometry_is_current(); });
    CHECK(session.geometry()->frames[6].scale() == Approx(1).margin(1e-6));
    CHECK(named<QComboBox>(main, "alignModel")->currentIndex() == 1);
    session.undo_stack().undo();
    wait_until([&] { return session.geometry_is_current(); });

    // Another reference needs no new measurement: the files may even be gone.
    for (int i = 1; i <= kFrames; ++i) {
        char name[32];
        std::snprintf(name, sizeof name, "frame-%02d.tif", i);
        std::filesystem::rename(scratch / name, scratch / (std::string(name) + ".away"));
    }
    session.set_reference(0);
    CHECK_FALSE(session.geometry_is_current());
    session.align();
    wait_until([&] { return session.geometry_is_current(); });
    CHECK(session.geometry()->frames[0].matrix == cv::Matx33d::eye());
    CHECK(session.geometry()->frames[6].scale() == Approx(1.015 / 0.985).margin(0.006));
}
