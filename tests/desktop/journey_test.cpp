// SPDX-License-Identifier: GPL-3.0-or-later
// The whole way through the real window, by mouse and keys: open, cull, align, merge, compare, sound, mend,
// export.
#include <QApplication>
#include <QComboBox>
#include <QDragEnterEvent>
#include <QLabel>
#include <QLineEdit>
#include <QMessageBox>
#include <QMimeData>
#include <QPushButton>
#include <QSignalSpy>
#include <QTimer>

#include "desktop/view/bars.h"
#include "desktop/view/depth_line.h"
#include "desktop/view/picture_view.h"
#include "desktop/view/sounding_panel.h"
#include "tests/desktop/acting.h"
#include "tests/desktop/asking.h"
#include "tests/desktop/waiting.h"
#include "tests/support/measures.h"

using namespace moorhaze;
using namespace moorhaze::desktop;
using test::click;
using test::mean_difference;
using test::named;
using test::settle;
using test::started_window;
using test::wait_until;

namespace {

void answer_next_question(const QString& button_text) {
    QTimer::singleShot(200, qApp, [button_text] {
        auto* box = qobject_cast<QMessageBox*>(QApplication::activeModalWidget());
        REQUIRE(box);
        for (QAbstractButton* button : box->buttons())
            if (button->text() == button_text) return button->click();
        FAIL("no button '" << button_text.toStdString() << "'");
    });
}

}  // namespace

TEST_CASE("from the demo to a saved TIFF in under ten clicks", "[desktop][journey]") {
    const test::Scratch scratch;
    const auto main = started_window();
    click(named<QPushButton>(*main, "openDemo"));  // 1
    wait_until([&] { return main->session().looking.is_done(); });
    settle(*main);
    click(named<QPushButton>(*main, "alignAndMerge"));  // 2
    wait_until([&] { return main->session().standpoint.result() != nullptr; });
    settle(*main);
    // In a fresh account the folder is the person's own; here it is typed.
    QTest::keyClick(main.get(), Qt::Key_6, Qt::AltModifier);  // 3
    auto* folder = named<QLineEdit>(*main, "exportFolder");
    folder->setText(QString::fromStdString(scratch.folder().string()));
    click(named<QPushButton>(*main, "export"));  // 4
    wait_until([&] { return !test::has_unsaved(main->session()); });
    const Picture saved = read_picture(scratch / "lichen-cups-merged.tif");
    CHECK(saved.bits() == 16);
    const auto& merge = test::merge_shown(main->session());
    CHECK(cv::norm(saved.pixels, merge.picture.pixels, cv::NORM_INF) == 0);
    CHECK(read_shooting_data(scratch / "lichen-cups-merged.tif").f_number.value_or(0) == Approx(7.1));
}

TEST_CASE("the whole way: cull, merge, compare, sound, draw in, wipe, undo, export, read back",
          "[desktop][journey]") {
    const test::Scratch scratch;
    const auto main = started_window();
    Session& session = main->session();
    main->open_paths({test::small_demo(scratch)});
    wait_until([&] { return session.looking.is_done(); });
    settle(*main);
    auto& view = main->picture_view();
    auto& line = main->depth_line();

    // Step by key, wheel and line.
    const int before = session.standpoint.place();
    QTest::keyClick(main.get(), Qt::Key_PageUp);
    CHECK(session.standpoint.place() == before + 1);
    QTest::keyClick(main.get(), Qt::Key_PageDown);
    CHECK(session.standpoint.place() == before);
    QTest::mouseClick(&line, Qt::LeftButton, {}, QPoint(40, int(line.y_of(4))));
    CHECK(session.standpoint.place() == 4);

    // Leave out and take back; the range by its handles.
    QTest::keyClick(main.get(), Qt::Key_X);
    CHECK_FALSE(session.document.series().frames[4].used);
    click(named<QPushButton>(*main, "toggleUse"));
    CHECK(session.document.series().frames[4].used);
    QTest::mousePress(&line, Qt::LeftButton, {}, line.handle_rect(true).center().toPoint());
    QTest::mouseMove(&line, QPoint(95, int(line.y_of(21.5))));
    QTest::mouseRelease(&line, Qt::LeftButton, {}, QPoint(95, int(line.y_of(21.5))));
    CHECK(session.document.series().range == FrameRange{0, 21});
    QTest::keyClick(main.get(), Qt::Key_Z, Qt::ControlModifier);
    CHECK(session.document.series().range == FrameRange{0, 23});

    // Pointing shows the frame that is sharpest there.
    const QPoint middle(view.width() / 2, view.height() / 2);
    const auto shown = session.standpoint.frame();
    QTest::mouseClick(&view, Qt::LeftButton, {}, middle);
    const cv::Size size = session.document.series().size();
    const QPointF place = view.to_plane(middle);
    CHECK(session.standpoint.frame() == session.culling.sharpest_at((place.x() + 0.5) / size.width,
                                                                    (place.y() + 0.5) / size.height, shown));
    CHECK(main->session().sounding.is_open());

    QTest::keyClick(main.get(), Qt::Key_Return, Qt::ControlModifier);
    wait_until([&] { return session.standpoint.result() != nullptr; });
    settle(*main);
    CHECK(session.standpoint.stage() == Stage::merge);

    // Compare the frame and the merge: left of the curtain is the frame, right of it the merge.
    QTest::keyClick(main.get(), Qt::Key_C);
    settle(*main);
    view.set_curtain_place(0.5);
    const QImage split = view.grab().toImage();
    QTest::keyClick(main.get(), Qt::Key_C);
    CHECK_FALSE(view.curtain());
    const QImage merged_only = view.grab().toImage();
    view.set_flipped(true);
    const QImage frame_only = view.grab().toImage();
    view.set_flipped(false);
    // Inside the common area and clear of labels and line.
    const QRect left(200, 200, 200, 300), right(500, 200, 300, 300);
    // Drawn in two parts a scaled picture may differ in its last bit.
    CHECK(mean_difference(split.copy(left), frame_only.copy(left)) < 0.3);
    CHECK(mean_difference(split.copy(right), merged_only.copy(right)) < 0.3);
    CHECK(mean_difference(merged_only.copy(right), frame_only.copy(right)) > 2);

    // Sounding in Mend: right click, then pick by digit.
    QTest::keyClick(main.get(), Qt::Key_5, Qt::AltModifier);
    CHECK(session.standpoint.stage() == Stage::mend);
    const QPoint target = view.to_widget(QPointF(250, 165)).toPoint();
    QTest::mouseClick(&view, Qt::RightButton, {}, target);
    settle(*main);
    REQUIRE(main->session().sounding.patches().size() == std::size_t(Sounding::kPatches));
    CHECK(main->session().standpoint.source() == main->session().sounding.sharpest_frame());
    CHECK(main->session().sounding.frame_in_use().has_value());
    QTest::keyClick(main.get(), Qt::Key_1);
    const auto& picked = main->session().sounding.patches().back();
    const FrameId source = picked.frame;
    const int source_index = picked.number - 1;
    CHECK(main->session().standpoint.source() == source);
    QTest::keyClick(main.get(), Qt::Key_Escape);
    CHECK_FALSE(main->session().sounding.is_open());

    // Draw in with a hard, full brush: the very pixels of the aligned source frame.
    main->session().standpoint.set_brush({12, 0, 1});
    const cv::Mat untouched = test::mended_shown(main->session()).pixels.clone();
    QTest::mousePress(&view, Qt::LeftButton, {}, target);
    QTest::mouseMove(&view, target + QPoint(30, 0));
    QTest::mouseRelease(&view, Qt::LeftButton, {}, target + QPoint(30, 0));
    settle(*main);
    REQUIRE(session.standpoint.result()->strokes.size() == 1);
    const cv::Mat drawn = test::mended_shown(main->session()).pixels.clone();
    const PixelRect area = test::merge_shown(session).area;
    const cv::Point at(250 - area.x, 165 - area.y);
    const FrameSource frames(session.document.series(),
                             session.products.merge(session.standpoint.result()->id)->plane->geometry,
                             session.products.frame_shelf());
    const Picture source_pixel =
        picture_of(frames.load(source_index, {250, 165, 1, 1}, {}), frames.curve(), frames.profile());
    for (int channel = 0; channel < 3; ++channel)
        CHECK(std::abs(int(drawn.at<cv::Vec3w>(at)[channel]) -
                       int(source_pixel.pixels.at<cv::Vec3w>(0, 0)[channel])) <= 1);
    CHECK(drawn.at<cv::Vec3w>(5, 5) == untouched.at<cv::Vec3w>(5, 5));

    // Undo, redo, wipe back.
    QTest::keyClick(main.get(), Qt::Key_Z, Qt::ControlModifier);
    settle(*main);
    CHECK(cv::norm(test::mended_shown(main->session()).pixels, untouched, cv::NORM_INF) == 0);
    QTest::keyClick(main.get(), Qt::Key_Y, Qt::ControlModifier);
    settle(*main);
    CHECK(cv::norm(test::mended_shown(main->session()).pixels, drawn, cv::NORM_INF) == 0);
    QTest::keyClick(main.get(), Qt::Key_E);
    CHECK(main->session().standpoint.brush().tool == MendTool::wipe_back);
    QTest::mousePress(&view, Qt::LeftButton, {}, target);
    QTest::mouseRelease(&view, Qt::LeftButton, {}, target);
    settle(*main);
    CHECK(cv::norm(cv::Mat(test::mended_shown(main->session()).pixels.at<cv::Vec3w>(at)),
                   cv::Mat(untouched.at<cv::Vec3w>(at)), cv::NORM_INF) <= 1);

    // Export as each kind; the file read back is the mended picture.
    QTest::keyClick(main.get(), Qt::Key_6, Qt::AltModifier);
    named<QLineEdit>(*main, "exportFolder")->setText(QString::fromStdString(scratch.folder().string()));
    named<QLineEdit>(*main, "exportName")->setText("heath");
    const Picture mended = test::mended_shown(main->session());
    for (int kind = 0; kind < 5; ++kind) {
        named<QComboBox>(*main, "exportKind")->setCurrentIndex(kind);
        auto* outcome = named<QLabel>(*main, "exportOutcome");
        outcome->clear();
        click(named<QPushButton>(*main, "export"));
        wait_until([&] { return !outcome->text().isEmpty() && !session.jobs.busy(); });
        if (kind == 1 || kind == 4) {
            // The same name is there from the kind before.
            CHECK(outcome->text().contains("exists already"));
            click(named<QPushButton>(*main, "newName"));
            wait_until([&] { return outcome->text().startsWith("Saved"); });
            named<QLineEdit>(*main, "exportName")->setText("heath");
        }
    }
    CHECK(cv::norm(read_picture(scratch / "heath.tif").pixels, mended.pixels, cv::NORM_INF) == 0);
    CHECK(cv::norm(read_picture(scratch / "heath.png").pixels, mended.pixels, cv::NORM_INF) == 0);
    CHECK(read_picture(scratch / "heath-2.tif").bits() == 8);
    CHECK(cv::norm(read_picture(scratch / "heath-2.png").pixels, dithered_to_8(mended).pixels,
                   cv::NORM_INF) == 0);
    CHECK(test::psnr_db(test::luma_of(read_picture(scratch / "heath.jpg")), test::luma_of(mended)) > 38);
    CHECK_FALSE(test::has_unsaved(session));
    CHECK(main->close());
}

TEST_CASE("leaving with a result that was not exported asks first", "[desktop][journey]") {
    const test::Scratch scratch;
    const auto main = started_window();
    main->open_paths({test::small_demo(scratch, "brass-wheels")});
    wait_until([&] { return main->session().looking.is_done(); });
    main->session().merging.merge();
    wait_until([&] { return main->session().standpoint.result() != nullptr; });
    settle(*main);
    answer_next_question("Stay here");
    CHECK_FALSE(main->close());
    CHECK(main->isVisible());
    answer_next_question("Export it first");
    CHECK_FALSE(main->close());
    CHECK(main->session().standpoint.stage() == Stage::finish);
    answer_next_question("Leave without it");
    CHECK(main->close());
}

TEST_CASE("a folder dropped on the window is opened, a broken frame in it is reported",
          "[desktop][journey]") {
    const test::Scratch scratch;
    const QString folder = test::small_demo(scratch);
    test::write_all((folder + "/frame-007.jpg").toStdString(), "torn off");
    const auto main = started_window();
    QMimeData data;
    data.setUrls({QUrl::fromLocalFile(folder)});
    // As the system does it: what is dragged comes in first, and only where it is welcome can it be dropped.
    QDragEnterEvent enter(QPoint(600, 400), Qt::CopyAction, &data, Qt::LeftButton, {});
    QApplication::sendEvent(main.get(), &enter);
    CHECK(enter.isAccepted());
    QDropEvent drop(QPointF(600, 400), Qt::CopyAction, &data, Qt::LeftButton, {});
    QApplication::sendEvent(main.get(), &drop);
    wait_until([&] { return main->session().document.has_series(); }, 20'000);
    CHECK(main->session().document.series().count() == 23);
    CHECK(main->notice().isVisible());
    CHECK(main->notice().is_error());
    CHECK(main->notice().text().contains("frame-007.jpg"));
    settle(*main);
}

TEST_CASE("painting without a source, exporting into nowhere and bad names are answered, not ignored",
          "[desktop][journey]") {
    const test::Scratch scratch;
    const auto main = started_window();
    main->open_paths({test::small_demo(scratch)});
    wait_until([&] { return main->session().looking.is_done(); });
    main->session().merging.merge();
    wait_until([&] { return main->session().standpoint.result() != nullptr; });
    settle(*main);
    main->session().standpoint.set_stage(Stage::mend);
    QTest::mousePress(&main->picture_view(), Qt::LeftButton, {}, QPoint(400, 300));
    QTest::mouseRelease(&main->picture_view(), Qt::LeftButton, {}, QPoint(400, 300));
    CHECK(main->notice().text().contains("Pick a frame"));
    CHECK(main->session().standpoint.result()->strokes.empty());
    main->session().standpoint.set_stage(Stage::finish);
    named<QLineEdit>(*main, "exportFolder")->setText("/no/such/folder");
    click(named<QPushButton>(*main, "export"));
    CHECK(main->notice().text().contains("no such folder"));
    named<QLineEdit>(*main, "exportName")->clear();
    click(named<QPushButton>(*main, "export"));
    CHECK(main->notice().text().contains("needs a name"));
    CHECK(test::has_unsaved(main->session()));
}

TEST_CASE("the window answers while a merge runs", "[desktop][journey]") {
    const auto main = started_window();
    REQUIRE(main->open_demo("lichen-cups"));
    wait_until([&] { return main->session().looking.is_done(); });
    settle(*main);
    main->session().merging.merge();
    // The longest time between two rounds of the event loop while the work runs.
    QElapsedTimer clock;
    clock.start();
    qint64 longest = 0;
    QTimer beat;
    QObject::connect(&beat, &QTimer::timeout, &beat, [&] { longest = std::max(longest, clock.restart()); });
    beat.start(5);
    for (int i = 0; i < 40 && !main->session().standpoint.result(); ++i) {
        QTest::keyClick(main.get(), i % 2 ? Qt::Key_PageUp : Qt::Key_PageDown);
        QTest::qWait(25);
    }
    beat.stop();
    main->session().jobs.cancel();
    wait_until([&] { return !main->session().jobs.busy(); });
    WARN("longest pause of the interface while merging: " << longest << " ms");
    // Generous against a busy test machine: a blocked interface would pause for the seconds that the work
    // takes.
    CHECK(longest < 500);
}
