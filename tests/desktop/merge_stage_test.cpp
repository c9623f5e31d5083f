// SPDX-License-Identifier: GPL-3.0-or-later
// Merge in the real window: settings of the woven merge, what is known of a result laid over it, results
// compared and renamed.
#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QInputDialog>
#include <QLineEdit>
#include <QSlider>
#include <QTimer>

#include <atomic>
#include <chrono>
#include <thread>

#include "desktop/session/work/job_runner.h"
#include "desktop/tray/tray_parts.h"
#include "desktop/view/picture_view.h"
#include "tests/desktop/acting.h"
#include "tests/desktop/asking.h"
#include "tests/desktop/waiting.h"
#include "tests/support/series_files.h"

using namespace moorhaze;
using namespace moorhaze::desktop;
using test::choose;
using test::click;
using test::mean_difference;
using test::named;
using test::settle;
using test::wait_until;

namespace {

void open_and_merge(MainWindow& main, const test::Scratch& scratch) {
    test::write_series(scratch, test::strip_series({360, 240}, 6));
    main.show();
    main.activateWindow();
    REQUIRE(QTest::qWaitForWindowActive(&main));
    main.open_paths({QString::fromStdString(scratch.folder().string())});
    wait_until([&] { return main.session().looking.is_done(); });
    main.session().standpoint.set_stage(Stage::merge);
    QTest::keyClick(&main, Qt::Key_Return, Qt::ControlModifier);
    wait_until([&] { return main.session().standpoint.result() != nullptr; });
    main.session().standpoint.set_whole_ahead(
        false);  // nothing but what is asked for, unless a test is about that
    settle(main);
}

/// Types into the dialog that the next step opens, and takes it.
void answer_dialog(const QString& text) {
    QTimer::singleShot(200, [text] {
        for (QWidget* widget : QApplication::topLevelWidgets())
            if (auto* dialog = qobject_cast<QInputDialog*>(widget); dialog && dialog->isVisible()) {
                auto* line = dialog->findChild<QLineEdit*>();
                line->selectAll();
                QTest::keyClicks(line, text);
                QTest::keyClick(line, Qt::Key_Return);
            }
    });
}

/// Mean of a channel's lead over another within a strip of the picture, 0..1 across.
double lead(const QImage& seen, const PictureView& view, double across, int (*one)(QRgb),
            int (*other)(QRgb)) {
    double sum = 0;
    int count = 0;
    for (int y = 40; y < 200; y += 4)
        for (int x = -8; x <= 8; x += 4) {
            const QRgb pixel = seen.pixel(view.to_widget(QPointF(across * 359 + x, y)).toPoint());
            sum += one(pixel) - other(pixel);
            ++count;
        }
    return sum / count;
}

}  // namespace

TEST_CASE("the woven merge is what Ctrl+Return makes, depth and provenance are seen over it",
          "[desktop][merge]") {
    const test::Scratch scratch;
    MainWindow main;
    open_and_merge(main, scratch);
    Session& session = main.session();
    CHECK(test::merge_shown(session).method == "woven");
    CHECK(text(settings_in_words(session.standpoint.result()->made_from)).contains("floor"));
    PictureView& view = main.picture_view();
    const QImage plain = view.grab().toImage();
    // The picture is grey; near is warm and far is cool in the depth colours.
    auto* look = named<QComboBox>(main, "look");
    for (const int kind : {2, 3}) {
        choose(look, kind);
        settle(main);
        const QImage seen = view.grab().toImage();
        CHECK(lead(seen, view, 0.08, qRed, qBlue) > 20);
        CHECK(lead(seen, view, 0.92, qBlue, qRed) > 20);
    }
    // What made each place: the caption says what did.
    CHECK_FALSE(view.caption().contains("pyramid"));
    choose(look, 4);
    settle(main);
    CHECK(view.caption().contains("violet: pyramid"));
    CHECK(mean_difference(view.grab().toImage(), plain) > 1);
    choose(look, 0);
    settle(main);
    CHECK(mean_difference(view.grab().toImage(), plain) < 0.1);
    CHECK_FALSE(view.caption().contains("pyramid"));

    // The backdrop from the frame shown: the choice names it, and so does the result.
    session.standpoint.set_place(5);
    choose(named<QComboBox>(main, "backdrop"), 1);
    CHECK(session.merging.choice().backdrop == session.document.id_at(5));
    click(named<QPushButton>(main, "merge"));
    wait_until([&] { return test::results(session).size() == 2; });
    CHECK(text(settings_in_words(session.standpoint.result()->made_from)).contains("backdrop frame 6"));
    settle(main);
}

TEST_CASE("the trust floor is seen over the picture while it is moved", "[desktop][merge]") {
    const test::Scratch scratch;
    MainWindow main;
    open_and_merge(main, scratch);
    main.session().standpoint.set_look_ahead(false);  // the floor alone
    PictureView& view = main.picture_view();
    const QImage plain = view.grab().toImage();
    auto* floor = [&] {
        for (ValueRow* row : main.findChildren<ValueRow*>())
            if (row->isVisible() && row->field()->accessibleName().contains("Trust")) return row;
        return static_cast<ValueRow*>(nullptr);
    }();
    REQUIRE(floor);
    QSlider* const slider = floor->slider();
    emit slider->sliderPressed();
    slider->setValue(slider->maximum());
    settle(main);
    const double all = mean_difference(view.grab().toImage(), plain);
    slider->setValue(slider->minimum());
    settle(main);
    const double none = mean_difference(view.grab().toImage(), plain);
    CHECK(all > 15);
    CHECK(none < all / 3);
    emit slider->sliderReleased();
    settle(main);
    CHECK(mean_difference(view.grab().toImage(), plain) < 0.1);
    CHECK(main.session().merging.choice().settings.trust_floor == Approx(0).margin(0.01));
}

TEST_CASE("a change of settings is seen in view before anything is merged anew", "[desktop][merge][trial]") {
    const test::Scratch scratch;
    MainWindow main;
    open_and_merge(main, scratch);
    Session& session = main.session();
    PictureView& view = main.picture_view();
    CHECK(view.zoom() > 0.5);  // so small a picture is fit at more than half its size
    CHECK(view.patch() == nullptr);
    const QImage merged = view.grab().toImage();

    choose(named<QComboBox>(main, "method"), int(merge_methods().size()) - 1);  // the even blend: softer
    REQUIRE(session.merging.choice().method == "blend");
    settle(main);
    REQUIRE(view.patch() != nullptr);
    CHECK(test::results(session).size() == 1);
    const QImage ahead = view.grab().toImage();
    CHECK(mean_difference(merged, ahead) > 0.3);
    // It is what the merge then brings; when that is there, nothing lies over it.
    const QRect patch = view.patch()->area();
    click(named<QPushButton>(main, "merge"));
    wait_until([&] { return test::results(session).size() == 2; });
    settle(main);
    CHECK(view.patch() == nullptr);
    const QImage blend = view.grab().toImage();
    const QRect on_screen = QRectF(view.to_widget(patch.topLeft()), view.to_widget(patch.bottomRight()))
                                .toRect()
                                .adjusted(4, 40, -4, -40);
    CHECK(mean_difference(ahead.copy(on_screen), blend.copy(on_screen)) < 0.6);

    // Changed back, the result that fits is the first one; what is in view is tried again.
    choose(named<QComboBox>(main, "method"), 0);
    settle(main);
    REQUIRE(view.patch() != nullptr);
    named<QCheckBox>(main, "ahead")->click();
    settle(main);
    CHECK(view.patch() == nullptr);
    QTest::keyClick(&main, Qt::Key_L);
    settle(main);
    CHECK(view.patch() != nullptr);
    CHECK(named<QCheckBox>(main, "ahead")->isChecked());

    // What cannot be tried is reported once, and not again with every movement of the view.
    choose(named<QComboBox>(main, "method"), 2);
    REQUIRE(session.merging.choice().method == "depth");
    session.culling.set_range({0, 2});
    session.aligning.align();
    settle(main);
    int notified = 0;
    QObject::connect(&session.notices, &Notices::notified, &main, [&](const QString& text, bool is_error) {
        notified += is_error && text.contains("backdrop");
    });
    const auto set_backdrop = [&](int number) {
        MergeChoice choice = session.merging.choice();
        choice.backdrop = session.document.id_at(number - 1);
        session.merging.set_choice(choice, "backdrop");
    };
    set_backdrop(6);  // not in the range
    settle(main);
    view.set_zoom(1.3);
    settle(main);
    CHECK(notified == 1);
    set_backdrop(2);
    settle(main);
    CHECK(view.patch() != nullptr);

    // Too far out it is not tried; what was tried stays until something changes.
    view.set_zoom(0.2);
    settle(main);
    CHECK(main.session().merge_preview.state().isEmpty());
}

TEST_CASE("the depth map is seen growing while a merge runs, and each result carries its picture",
          "[desktop][merge]") {
    const test::Scratch scratch;
    test::write_series(scratch, test::strip_series({1500, 1000}, 8));
    MainWindow main;
    main.show();
    main.activateWindow();
    REQUIRE(QTest::qWaitForWindowActive(&main));
    main.open_paths({QString::fromStdString(scratch.folder().string())});
    wait_until([&] { return main.session().looking.is_done(); });
    Session& session = main.session();
    session.standpoint.set_stage(Stage::merge);
    int grown = 0;
    bool card = false, warm = false;
    QObject::connect(&session.result_look, &ResultLook::grew, &main, [&] {
        if (!session.result_look.growing()) return;
        ++grown;
        auto* results = named<RowList>(main, "results");
        card = card || (results->count() == 1 && results->row(0).words.contains("so far") &&
                        !results->row(0).picture.isNull());
        // The nearest frames come first: their strip has its colour while the far ones are unknown.
        const QImage seen = main.picture_view().grab().toImage();
        const QRgb near = seen.pixel(main.picture_view().to_widget({90, 500}).toPoint());
        warm = warm || qRed(near) > qBlue(near) + 20;
    });
    QTest::keyClick(&main, Qt::Key_Return, Qt::ControlModifier);
    wait_until([&] { return session.standpoint.result() != nullptr; });
    CHECK(grown > 0);
    CHECK(card);
    CHECK(warm);
    settle(main);
    CHECK_FALSE(session.merging.growth());
    auto* results = named<RowList>(main, "results");
    REQUIRE(results->count() == 1);
    CHECK(results->row(0).words.startsWith("Woven 1"));
    CHECK_FALSE(session.products.merge(session.standpoint.result()->id)->thumb.isNull());
    CHECK_FALSE(results->row(0).picture.isNull());
}

TEST_CASE("two results are compared at the same place, and carry the names they are given",
          "[desktop][merge]") {
    const test::Scratch scratch;
    MainWindow main;
    open_and_merge(main, scratch);
    Session& session = main.session();
    PictureView& view = main.picture_view();
    const QImage woven = view.grab().toImage();
    choose(named<QComboBox>(main, "method"), int(merge_methods().size()) - 1);  // the even blend: softer
    CHECK(session.merging.choice().method == "blend");
    CHECK_FALSE(named<QCheckBox>(main, "grain")->isVisible());
    click(named<QPushButton>(main, "merge"));
    wait_until([&] { return test::results(session).size() == 2; });
    settle(main);
    const QImage blend = view.grab().toImage();
    CHECK(mean_difference(woven, blend) > 0.3);

    // Held V shows the other picture: by choice the first result.
    choose(named<QComboBox>(main, "resultPartner"), 1);
    settle(main);
    QTest::keyPress(&main, Qt::Key_V);
    const QImage flipped = view.grab().toImage();
    QTest::keyRelease(&main, Qt::Key_V);
    const cv::Rect2d middle(0.2, 0.3, 0.6, 0.4);  // no labels there
    auto part = [&](const QImage& seen) {
        return seen.copy(int(middle.x * seen.width()), int(middle.y * seen.height()),
                         int(middle.width * seen.width()), int(middle.height * seen.height()));
    };
    CHECK(mean_difference(part(flipped), part(woven)) < 0.1);
    CHECK(mean_difference(part(flipped), part(blend)) > 0.3);

    answer_dialog("soft backdrop");
    click(named<QPushButton>(main, "rename"));
    CHECK(session.standpoint.result()->title == "soft backdrop");
    CHECK(named<RowList>(main, "results")->row(1).words.startsWith("soft backdrop"));
    main.activateWindow();
    REQUIRE(QTest::qWaitForWindowActive(&main));
    QTest::keyClick(&main, Qt::Key_Z, Qt::ControlModifier);
    CHECK(session.standpoint.result()->title == "Even blend 2");

    click(named<QPushButton>(main, "drop"));
    CHECK(test::results(session).size() == 1);
    CHECK(named<QComboBox>(main, "resultPartner")->count() == 1);
    settle(main);
}

TEST_CASE("memory for the whole program is typed, too little is refused with what is needed",
          "[desktop][merge][memory]") {
    const test::Scratch scratch;
    MainWindow main;
    open_and_merge(main, scratch);
    Session& session = main.session();
    QStringList errors;
    QObject::connect(&session.notices, &Notices::notified, &main, [&](const QString& text, bool is_error) {
        if (is_error) errors << text;
    });
    const auto type = [&](const QString& megabytes) {
        answer_dialog(megabytes);
        for (QAction* action : main.actions())
            if (action->text().contains("Memory")) action->trigger();
    };
    type("100");
    CHECK(session.memory_mb() == 100);
    CHECK(session.merging.memory_mb() == 60);
    click(named<QPushButton>(main, "merge"));
    wait_until([&] { return !errors.isEmpty(); });
    CHECK(errors[0].contains("at least"));
    CHECK(test::results(session).size() == 1);
    type("4000");
    CHECK(session.merging.memory_mb() == 4000 - 600 - 1000);
    click(named<QPushButton>(main, "merge"));
    wait_until([&] { return test::results(session).size() == 2; });
    CHECK(errors.size() == 1);
    settle(main);
}

TEST_CASE("when settings rest the whole is merged ahead, once, and is taken when it is asked for",
          "[desktop][merge][trial]") {
    const test::Scratch scratch;
    MainWindow main;
    open_and_merge(main, scratch);
    Session& session = main.session();
    main.session().standpoint.set_whole_ahead(true);
    auto* method = named<QComboBox>(main, "method");
    auto* results = named<RowList>(main, "results");
    choose(method, 3);  // even blend
    wait_until([&] { return test::results(session).size() == 2; });
    settle(main);
    CHECK(test::merge_shown(session).method == "blend");
    CHECK(session.standpoint.result()->ahead);
    CHECK(results->row(1).words.contains("ahead"));
    CHECK(main.session().merge_preview.picture() == nullptr);  // the result itself is seen

    // The next one takes the place of what nobody asked for.
    choose(method, 2);  // depth map
    wait_until([&] { return session.standpoint.result() && test::merge_shown(session).method == "depth"; });
    settle(main);
    REQUIRE(test::results(session).size() == 2);

    // Asked for, it is there at once, and stays.
    const ResultId kept = session.standpoint.result()->id;
    click(named<QPushButton>(main, "merge"));
    settle(main);
    CHECK(test::results(session).size() == 2);
    CHECK_FALSE(find_result(session.document.project(), kept)->ahead);
    CHECK_FALSE(results->row(1).words.contains("ahead"));
    choose(method, 1);  // pyramid
    wait_until([&] { return test::results(session).size() == 3; });
    CHECK(find_result(session.document.project(), kept) != nullptr);
    settle(main);

    // Left alone, nothing more is merged; nor what has been merged already.
    QTest::qWait(3500);
    CHECK(test::results(session).size() == 3);
}

TEST_CASE("what is merged ahead makes way for whatever is asked for", "[desktop][merge]") {
    JobRunner jobs;
    QStringList notified;
    QObject::connect(&jobs, &JobRunner::cancelled, &jobs, [&](const QString& title) { notified << title; });
    std::atomic<bool> begun = false;
    bool finished = false, asked = false;
    const auto until_stopped = [&](const Job& job) {
        begun = true;
        for (;;) {
            job.checkpoint();
            std::this_thread::sleep_for(std::chrono::milliseconds(2));
        }
        return 0;
    };
    REQUIRE(jobs.start_yielding("merge", until_stopped, [&](int) { finished = true; }));
    CHECK(jobs.is_yielding());
    wait_until([&] { return begun.load(); });
    CHECK_FALSE(jobs.start_yielding("merge", until_stopped, [&](int) { finished = true; }));
    jobs.start(
        "export", [](const Job&) { return 1; }, [&](int) { asked = true; });
    CHECK(jobs.is_making_way());
    wait_until([&] { return asked; });
    CHECK_FALSE(finished);
    CHECK(notified.isEmpty());  // nobody had asked for it
    wait_until([&] { return !jobs.busy(); });

    // What is kept is like any other work.
    begun = false;
    REQUIRE(jobs.start_yielding("merge", until_stopped, [&](int) { finished = true; }));
    jobs.keep();
    jobs.start(
        "export", [](const Job&) { return 1; }, [](int) {});
    CHECK_FALSE(jobs.is_making_way());
    jobs.cancel();
    wait_until([&] { return !jobs.busy(); });
    CHECK(notified == QStringList{"merge"});
}
