// SPDX-License-Identifier: GPL-3.0-or-later
// Align in the real window: what is measured once and placed anew by choice, drift along the depth line,
// undo.
#include <QCheckBox>
#include <QComboBox>
#include <QLabel>

#include <opencv2/imgproc.hpp>

#include "core/picture/tone_curve.h"
#include "desktop/view/depth_line.h"
#include "desktop/view/picture_view.h"
#include "tests/desktop/acting.h"
#include "tests/desktop/asking.h"
#include "tests/desktop/waiting.h"
#include "tests/support/series_files.h"
#include "tests/support/textured.h"

using namespace moorhaze;
using namespace moorhaze::desktop;
using test::choose;
using test::click;
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

}  // namespace

TEST_CASE("frames are measured once, model, levelling and reference place them anew, each a step of undo",
          "[desktop][align]") {
    const test::Scratch scratch;
    write_drifting(scratch);
    MainWindow main;
    main.show();
    main.activateWindow();
    REQUIRE(QTest::qWaitForWindowActive(&main));
    Session& session = main.session();
    main.open_paths({QString::fromStdString(scratch.folder().string())});
    wait_until([&] { return session.looking.is_done(); });
    session.culling.set_reference(session.document.id_at(3));
    session.standpoint.set_stage(Stage::align);
    settle(main);
    auto* range = named<QLabel>(main, "driftRange");
    CHECK_FALSE(range->isVisible());

    QTest::keyClick(&main, Qt::Key_L, Qt::ControlModifier);
    wait_until([&] { return session.products.plane_is_current(); });
    settle(main);
    CHECK(session.products.plane()->geometry.frames[6].scale() == Approx(1.015).margin(0.004));
    CHECK(session.products.plane()->geometry.frames[6].shift_px(kSize).x == Approx(6).margin(0.2));
    CHECK(session.products.plane()->geometry.frames[1].gain() * kGains[1] == Approx(1).margin(0.01));
    CHECK(named<QLabel>(main, "alignSummary")->text().contains("px apart"));
    CHECK(range->isVisible());
    CHECK(range->text().contains("101."));

    // The curve is drawn on the depth line, and goes where it is put.
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
    wait_until([&] { return session.products.plane_is_current(); });
    for (const FrameGeometry& frame : session.products.plane()->geometry.frames) CHECK(frame.gain() == 1);
    QTest::keyClick(&main, Qt::Key_Z, Qt::ControlModifier);
    wait_until([&] { return session.products.plane_is_current(); });
    CHECK(session.products.plane()->geometry.frames[1].gain() * kGains[1] == Approx(1).margin(0.01));
    CHECK(named<QCheckBox>(main, "level")->isChecked());

    // Shift only: no scale any more.
    Placing placing = session.document.project().placing;
    placing.model = PlaneModel::shift;
    session.aligning.set_placing(placing, "movements");
    wait_until([&] { return session.products.plane_is_current(); });
    CHECK(session.products.plane()->geometry.frames[6].scale() == Approx(1).margin(1e-6));
    CHECK(named<QComboBox>(main, "alignModel")->currentIndex() == 1);
    session.document.undo();
    wait_until([&] { return session.products.plane_is_current(); });

    // Another reference needs no new measurement: the files may even be gone.
    for (int i = 1; i <= kFrames; ++i) {
        char name[32];
        std::snprintf(name, sizeof name, "frame-%02d.tif", i);
        std::filesystem::rename(scratch / name, scratch / (std::string(name) + ".away"));
    }
    session.culling.set_reference(session.document.id_at(0));
    CHECK_FALSE(session.products.plane_is_current());
    session.aligning.align();
    wait_until([&] { return session.products.plane_is_current(); });
    CHECK(session.products.plane()->geometry.frames[0].matrix == cv::Matx33d::eye());
    CHECK(session.products.plane()->geometry.frames[6].scale() == Approx(1.015 / 0.985).margin(0.006));
}

namespace {

/// Opens what was written, in the align stage, and aligns it.
void open_aligned(MainWindow& main, const test::Scratch& scratch, int reference) {
    main.show();
    main.activateWindow();
    REQUIRE(QTest::qWaitForWindowActive(&main));
    main.open_paths({QString::fromStdString(scratch.folder().string())});
    wait_until([&] { return main.session().looking.is_done(); });
    main.session().culling.set_reference(main.session().document.id_at(reference));
    main.session().standpoint.set_stage(Stage::align);
    QTest::keyClick(&main, Qt::Key_L, Qt::ControlModifier);
    wait_until([&] { return main.session().products.plane_is_current(); });
    settle(main);
}

/// The share of a view's pixels that are as good as white: where tinted edges coincide.
double share_of_white(QWidget& view) {
    const QImage seen = view.grab().toImage();
    int white = 0;
    for (int y = 0; y < seen.height(); ++y)
        for (int x = 0; x < seen.width(); ++x) {
            const QRgb pixel = seen.pixel(x, y);
            white += std::min({qRed(pixel), qGreen(pixel), qBlue(pixel)}) > 200;
        }
    return white / (double(seen.width()) * seen.height());
}

/// Presses on a place of the picture, moves a little, lets go.
void set_point(PictureView& view, QPointF place) {
    const QPoint at = view.to_widget(place).toPoint();
    QTest::mousePress(&view, Qt::LeftButton, {}, at + QPoint(6, 4));
    QTest::mouseMove(&view, at + QPoint(3, 2));
    QTest::mouseMove(&view, at);
    QTest::mouseRelease(&view, Qt::LeftButton, {}, at);
}

}  // namespace

TEST_CASE("what is lost is seen over the picture, the area chosen is the result's", "[desktop][align]") {
    const test::Scratch scratch;
    write_drifting(scratch);
    MainWindow main;
    open_aligned(main, scratch, 3);
    Session& session = main.session();
    auto* kept = named<QComboBox>(main, "kept");
    auto* lost = named<QLabel>(main, "lost");
    PictureView& view = main.picture_view();
    // Along the left rim there is a veil; not in the middle.
    const QImage veiled = view.grab().toImage();
    const QPoint middle = view.to_widget({240, 120}).toPoint();
    auto rim = [&](const QImage& seen) {
        double sum = 0;
        int count = 0;
        for (int y = 20; y < 220; ++y)
            for (const double x : {0.6, 1.0, 1.4}) {
                sum += qGray(seen.pixel(view.to_widget(QPointF(x, y)).toPoint()));
                ++count;
            }
        return sum / count;
    };
    CHECK(lost->text().contains("% of the frame is lost"));
    choose(kept, 1);
    CHECK(session.document.project().kept == KeptArea::reference);
    const QImage clear = view.grab().toImage();
    CHECK(rim(clear) > rim(veiled) + 15);
    CHECK(clear.pixel(middle) == veiled.pixel(middle));
    CHECK(session.products.kept_area() == PixelRect(0, 0, kSize.width, kSize.height));

    choose(kept, 2);
    const PixelRect everything = session.products.kept_area();
    CHECK(everything.width > kSize.width + 8);
    CHECK(lost->text().contains("transparent"));
    QTest::keyClick(&main, Qt::Key_Return, Qt::ControlModifier);
    wait_until([&] { return session.standpoint.result() != nullptr; });
    const Picture& picture = test::merge_shown(session).picture;
    CHECK(picture.pixels.size() == everything.size());
    REQUIRE_FALSE(picture.alpha.empty());
    CHECK(cv::countNonZero(picture.alpha) < int(picture.alpha.total()));

    QTest::keyClick(&main, Qt::Key_Z, Qt::ControlModifier);
    CHECK(session.document.project().kept == KeptArea::reference);
    CHECK_FALSE(session.merging.is_current());
    settle(main);
}

TEST_CASE("two frames are compared by twin, blink and tinted edges, before and after aligning",
          "[desktop][align]") {
    const test::Scratch scratch;
    write_drifting(scratch);
    MainWindow main;
    open_aligned(main, scratch, 3);
    Session& session = main.session();
    session.standpoint.set_place(6);
    settle(main);
    PictureView &view = main.picture_view(), &twin = main.twin_view();
    CHECK_FALSE(twin.isVisible());

    // Twin: the other frame beside it; the two move together.
    QTest::keyClick(&main, Qt::Key_T);
    settle(main);
    REQUIRE(twin.isVisible());
    CHECK(named<QPushButton>(main, "twin")->isChecked());
    view.set_zoom(2);
    CHECK(twin.zoom() == Approx(2));
    QTest::mousePress(&twin, Qt::LeftButton, {}, QPoint(100, 100));
    QTest::mouseMove(&twin, QPoint(140, 90));
    QTest::mouseRelease(&twin, Qt::LeftButton, {}, QPoint(140, 90));
    CHECK(view.centre() == twin.centre());
    CHECK(view.centre().x() < 239);
    // It shows another frame: the one chosen by number.
    const QImage reference = twin.grab().toImage();
    choose(named<QComboBox>(main, "partner"), 1);
    settle(main);
    CHECK(mean_difference(twin.grab().toImage(), reference) > 0.5);
    choose(named<QComboBox>(main, "partner"), 0);
    settle(main);
    CHECK(mean_difference(twin.grab().toImage(), reference) < 0.1);
    QTest::keyClick(&main, Qt::Key_T);
    CHECK_FALSE(twin.isVisible());
    view.fit();
    settle(main);

    // Blink: both pictures in turn.
    QTest::qWait(50);
    const QImage still = view.grab().toImage();
    QTest::keyClick(&main, Qt::Key_Y);
    wait_until([&] { return mean_difference(view.grab().toImage(), still) > 0.5; }, 3000);
    wait_until([&] { return mean_difference(view.grab().toImage(), still) < 0.1; }, 3000);
    QTest::keyClick(&main, Qt::Key_Y);

    // Edges coincide after aligning, not before.
    session.standpoint.set_place(5);
    QTest::keyClick(&main, Qt::Key_G);
    settle(main);
    const double after = share_of_white(view);
    QTest::mouseClick(named<QCheckBox>(main, "asShot"), Qt::LeftButton, {}, QPoint(8, 8));
    settle(main);
    const double before = share_of_white(view);
    CHECK(after > 2 * before);
    CHECK(after > 0.003);
}

TEST_CASE("a pair that was aligned wrongly is bound by points set by hand", "[desktop][align]") {
    // A pattern that repeats every 48 px: the second frame lies two patterns and a bit to the side, which
    // looks as if it lay just the bit to the side.
    const test::Scratch scratch;
    const cv::Point2d bit(3.4, -5.7), by = bit + cv::Point2d(96, 0);
    auto pattern = [](double x, double y) {
        const double u = x * CV_PI / 24, v = y * CV_PI / 24;
        return 0.5 + 0.1 * std::sin(u) * std::cos(v) + 0.1 * std::sin(2 * u + 3 * v) +
               0.1 * std::cos(5 * u - v) + 0.1 * std::sin(4 * v + 1);
    };
    test::write_series(
        scratch, {test::picture_from(kSize, [&](int x, int y) { return pattern(x, y); }),
                  test::picture_from(kSize, [&](int x, int y) { return pattern(x + by.x, y + by.y); })});
    MainWindow main;
    open_aligned(main, scratch, 0);
    Session& session = main.session();
    // What is framed differently was taken for two series.
    session.opening.join_with_next();
    wait_until([&] { return session.looking.is_done() && session.document.series().count() == 2; });
    session.culling.set_reference(session.document.id_at(0));
    session.standpoint.set_stage(Stage::align);
    QTest::keyClick(&main, Qt::Key_L, Qt::ControlModifier);
    wait_until([&] { return session.products.plane_is_current(); });
    CHECK(session.products.plane()->geometry.frames[1].matrix(0, 2) == Approx(bit.x).margin(0.1));
    session.standpoint.set_place(1);
    settle(main);

    QTest::keyClick(&main, Qt::Key_P);
    settle(main);
    PictureView &shown = main.picture_view(), &reference = main.twin_view();
    REQUIRE(reference.isVisible());
    shown.set_zoom(1);
    auto* pairs = named<RowList>(main, "pairs");
    // A hand is off by some pixels; a loupe is seen while the button is held.
    const QPointF places[] = {{290, 60}, {250, 180}, {215, 110}};
    const QImage without = reference.grab().toImage();
    QTest::mousePress(&reference, Qt::LeftButton, {}, reference.to_widget(places[0]).toPoint());
    CHECK(mean_difference(reference.grab().toImage(), without) > 0.5);
    QTest::mouseRelease(&reference, Qt::LeftButton, {}, reference.to_widget(places[0]).toPoint());
    CHECK(named<QLabel>(main, "pointsState")->text().contains("frame 2"));
    set_point(shown, places[0] - QPointF(by.x, by.y) + QPointF(3, -2));
    wait_until([&] { return pairs->count() == 1 && main.session().match_points.is_settled(); });
    wait_until([&] { return session.products.plane_is_current(); });
    settle(main);
    for (int i : {1, 2}) {
        // Where the frames lie now is known; the place is pointed at in what is seen.
        const cv::Vec3d seen = session.products.plane()->geometry.frames[1].matrix *
                               cv::Vec3d(places[i].x() - by.x - 2, places[i].y() - by.y + 2, 1);
        set_point(reference, places[i]);
        set_point(shown, {seen[0] / seen[2], seen[1] / seen[2]});
        wait_until([&] { return pairs->count() == i + 1 && main.session().match_points.is_settled(); });
        wait_until([&] { return session.products.plane_is_current(); });
        settle(main);
    }
    const FrameGeometry& bound = session.products.plane()->geometry.frames[1];
    REQUIRE(bound.registered);
    for (const QPointF& place : places) {
        const cv::Vec3d lies = bound.matrix * cv::Vec3d(place.x() - by.x, place.y() - by.y, 1);
        CHECK(lies[0] / lies[2] == Approx(place.x()).margin(0.15));
        CHECK(lies[1] / lies[2] == Approx(place.y()).margin(0.15));
    }
    // Dropped and taken back.
    click(named<QPushButton>(main, "dropPair"));
    CHECK(pairs->count() == 2);
    QTest::keyClick(&main, Qt::Key_Z, Qt::ControlModifier);
    CHECK(pairs->count() == 3);
    wait_until([&] { return session.products.plane_is_current(); });
    settle(main);
    QTest::keyClick(&main, Qt::Key_Escape);
    CHECK_FALSE(named<QPushButton>(main, "setPoints")->isChecked());
}

TEST_CASE("dust is mended in the frames shown and ringed, until it is wanted left", "[desktop][align]") {
    const test::Scratch scratch;
    const DustSpot speck{{150, 110}, 7, 0.5, 0.2};
    const auto pictures = test::dusty_series(kSize, 9, {speck}), clean = test::dusty_series(kSize, 9, {});
    test::write_series(scratch, pictures);
    MainWindow main;
    open_aligned(main, scratch, 4);
    Session& session = main.session();
    REQUIRE(session.products.plane()->geometry.dust.size() == 1);
    CHECK(named<QLabel>(main, "alignSummary")->text().contains("One spot of dust"));
    PictureView& view = main.picture_view();
    view.set_view(2, {150, 110});
    settle(main);
    const auto middle_of = [&] {
        const QPoint at = view.to_widget({150, 110}).toPoint();
        return view.grab(QRect(at - QPoint(3, 3), QSize(7, 7))).toImage();
    };
    const auto ring = [&] { return view.grab().toImage(); };
    const QImage mended = middle_of(), ringed = ring();
    auto* dust = named<QCheckBox>(main, "dust");
    CHECK(dust->isChecked());
    QTest::mouseClick(dust, Qt::LeftButton, {}, QPoint(8, 8));
    CHECK_FALSE(session.document.project().placing.mend_dust);
    wait_until([&] { return session.products.plane_is_current(); });
    settle(main);
    CHECK(session.products.plane()->geometry.dust.empty());
    CHECK_FALSE(named<QLabel>(main, "alignSummary")->text().contains("dust"));
    const QImage shaded = middle_of();
    // A fifth of the light is a tenth of what is shown, about.
    const auto mean_grey = [](const QImage& image) {
        double sum = 0;
        for (int y = 0; y < image.height(); ++y)
            for (int x = 0; x < image.width(); ++x) sum += qGray(image.pixel(x, y));
        return sum / (image.width() * image.height());
    };
    CHECK(mean_grey(shaded) < 0.94 * mean_grey(mended));
    CHECK(ring() != ringed);
    QTest::keyClick(&main, Qt::Key_Z, Qt::ControlModifier);
    wait_until([&] { return session.products.plane_is_current(); });
    settle(main);
    CHECK(session.products.plane()->geometry.dust.size() == 1);
    CHECK(middle_of() == mended);

    // Left in, it comes into a merge; the walk stands there with a frame to draw in from that has it
    // elsewhere.
    QTest::mouseClick(dust, Qt::LeftButton, {}, QPoint(8, 8));
    QTest::keyClick(&main, Qt::Key_Return, Qt::ControlModifier);
    wait_until([&] { return session.standpoint.result() != nullptr; });
    session.standpoint.set_stage(Stage::mend);
    SnagWalk& walk = session.snag_walk;
    wait_until([&] { return walk.is_known() && session.brushwork.is_settled(); });
    for (std::size_t i = 0; i < walk.snags().size() && !walk.frame_without_dust(); ++i)
        QTest::keyClick(&main, Qt::Key_N);
    const auto free_of_dust = walk.frame_without_dust();
    REQUIRE(free_of_dust);
    CHECK(walk.snags()[std::size_t(*walk.current())].snag.kind == SnagKind::dust);
    wait_until([&] { return session.sounding.is_settled(); });
    CHECK(session.standpoint.source() == free_of_dust);
}

TEST_CASE("crop and finish go with the picture to a result with another reference frame",
          "[desktop][align]") {
    const test::Scratch scratch;
    write_drifting(scratch);
    MainWindow main;
    open_aligned(main, scratch, 3);
    Session& session = main.session();
    MergeChoice choice = session.merging.choice();
    choice.method = "blend";
    session.merging.set_choice(choice, "method");
    const auto merge = [&] {
        const int before = session.document.project().results.size();
        session.merging.merge();
        wait_until([&] { return session.document.project().results.size() > before; });
        session.standpoint.set_stage(Stage::finish);
        settle(main);
    };
    merge();
    const ResultId first = session.standpoint.result()->id;
    session.finishing.change("crop", [](Finish& own) { own.framing.crop = PixelRect(180, 80, 120, 80); });
    settle(main);
    const test::Scratch out;
    const auto saved = [&](const char* name) {
        session.exporter.save(QString::fromStdString((out / name).string()), Output{}, true);
        settle(main);
        return read_picture(out / name);
    };
    const Picture before = saved("first.tif");
    CHECK(is_handed_over(session.document.project(), *session.standpoint.result()));

    // Frame 7 shows what frame 4 shows 1.5 % smaller and 6 px farther left.
    session.culling.set_reference(session.document.id_at(6));
    merge();
    REQUIRE(session.standpoint.result()->id != first);
    const PixelRect there = *session.finishing.finish().framing.crop;
    CHECK(there.x + there.width / 2.0 == Approx(234).margin(1.5));
    CHECK(there.width == Approx(120 / 1.015).margin(1));
    // What the window shows is cropped so, and the file holds the same part of the scene.
    CHECK(session.finishing.kept() == there);
    Picture after = saved("second.tif");
    CHECK(after.pixels.size() == there.size());
    cv::Mat small;
    cv::resize(after.pixels, small, before.pixels.size(), 0, 0, cv::INTER_AREA);
    const double unmoved = cv::norm(before.pixels, small, cv::NORM_L1) / double(3 * small.total()) / 65535;
    CHECK(unmoved < 0.03);
    // The first one is as it was handed over, until the finish changes.
    CHECK(is_handed_over(session.document.project(), *find_result(session.document.project(), first)));
    session.finishing.change("light", [](Finish& own) { own.light.exposure_ev = 1; });
    CHECK(session.document.project().finish.plane == session.document.id_at(6));
    CHECK(*session.document.project().finish.finish.framing.crop == there);
    // Looked at again, it is cropped as it was drawn.
    session.standpoint.set_result(first);
    settle(main);
    const PixelRect again = *session.finishing.finish().framing.crop;
    CHECK(std::abs(again.x - 180) <= 1);
    CHECK(std::abs(again.width - 120) <= 1);
    session.document.undo();
    settle(main);
    CHECK(*session.finishing.finish().framing.crop == PixelRect(180, 80, 120, 80));
}
