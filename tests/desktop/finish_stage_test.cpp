// SPDX-License-Identifier: GPL-3.0-or-later
// Finish, driven in the real window: what its controls, the tone line and hands on the picture do to the
// picture and to the files.
#include <QAction>
#include <QCheckBox>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSpinBox>
#include <QStyle>
#include <fstream>

#include "core/finish/colour_shift.h"
#include "core/finish/framing.h"
#include "core/finish/noise.h"
#include "core/project/project_folder.h"
#include "desktop/tray/tray_parts.h"
#include "desktop/view/finish_hands.h"
#include "desktop/view/main_window.h"
#include "desktop/view/path_bar.h"
#include "desktop/view/picture_view.h"
#include "desktop/view/tone_line.h"
#include "tests/desktop/acting.h"
#include "tests/desktop/strips.h"

using namespace moorhaze;
using namespace moorhaze::desktop;
using test::wait_until;

namespace {

constexpr int kThird = 80;  // px: red, grey, green from left to right

/// The strips with colours: red, grey and green thirds.
const test::Scratch& coloured_strips() {
    static const test::Scratch scratch;
    static const bool written = [] {
        auto pictures = test::strip_series({3 * kThird, 140}, 6);
        const cv::Vec3d tints[] = {{1, 0.45, 0.35}, {1, 1, 1}, {0.5, 0.9, 0.4}};
        for (Picture& picture : pictures)
            for (int y = 0; y < picture.height(); ++y)
                for (int x = 0; x < picture.width(); ++x)
                    for (int c = 0; c < 3; ++c)
                        picture.pixels.at<cv::Vec3w>(y, x)[c] =
                            std::uint16_t(picture.pixels.at<cv::Vec3w>(y, x)[c] * tints[x / kThird][c]);
        test::write_series(scratch, pictures);
        return true;
    }();
    (void)written;
    return scratch;
}

/// A window with one merge, in Finish.
struct FinishWindow {
    test::Scratch out, projects;
    MainWindow main;
    Session& session = main.session();
    QString said;

    FinishWindow() {
        QObject::connect(&session.notices, &Notices::notified, &main,
                         [this](const QString& text) { said = text; });
        session.autosave.set_folder(projects / "unsaved");
        main.resize(1280, 800);
        main.show();
        main.open_paths({QString::fromStdString(coloured_strips().folder().string())});
        wait_until([&] { return session.looking.is_done() && main.is_settled(); });
        MergeChoice choice = session.merging.choice();
        choice.method = "blend";
        session.merging.set_choice(choice, "method");
        session.merging.merge();
        wait_until([&] { return session.standpoint.result() != nullptr; });
        session.standpoint.set_stage(Stage::finish);
        settle();
    }
    void settle() { test::settle(main); }
    const Finish& finish() const { return session.document.project().finish.finish; }
    const MergeResult& merge() { return test::merge_shown(session); }
    void page(FinishPage page) {
        session.standpoint.set_finish_page(page);
        settle();
    }
    template <class Widget>
    Widget& find(const char* name) {
        return *test::named<Widget>(main, name);
    }
    /// Types a number into a row of the tray.
    void type(const char* name, double value) {
        QDoubleSpinBox* field = find<ValueRow>(name).field();
        REQUIRE(field->isVisible());
        REQUIRE(field->isEnabled());
        field->selectAll();
        QTest::keyClicks(field, QString::number(value));
        QTest::keyClick(field, Qt::Key_Return);
    }
    void drag(QPointF from, QPointF to, Qt::KeyboardModifiers modifiers = {}) {
        test::drag(main.picture_view(), from, to, modifiers);
        settle();
    }
    void click_at(QPointF place) { drag(place, place); }
    Picture saved(const char* name = "out.tif") {
        const auto file = out / name;
        session.exporter.save(QString::fromStdString(file.string()), Output{}, true);
        settle();
        return read_picture(file);
    }
    /// What is seen at a place of the merge, away from marks.
    QColor seen(QPointF place) {
        return main.picture_view().grab().toImage().pixelColor(
            main.picture_view().to_widget(place).toPoint());
    }
};

double greatest(const Picture& one, const Picture& other) {
    REQUIRE(one.pixels.size() == other.pixels.size());
    return cv::norm(one.pixels, other.pixels, cv::NORM_INF);
}

}  // namespace

TEST_CASE("Finish shows the merge until something is done, and hands it over bit for bit",
          "[finish][window]") {
    FinishWindow own;
    CHECK(is_neutral(own.finish()));
    CHECK(own.find<RowList>("whatWasDone").isHidden());
    CHECK(greatest(own.saved(), own.merge().picture) == 0);
}

TEST_CASE("every number of the tray changes the picture, the list of what was done, and undoes",
          "[finish][window]") {
    struct Row {
        const char* name;
        FinishPage page;
        double value;
        std::function<double(const Finish&)> in;
        double becomes;
    };
    FinishWindow own;
    const Row rows[] = {
        {"exposure", FinishPage::light, 0.5, [](const Finish& f) { return f.light.exposure_ev; }, 0.5},
        {"lights", FinishPage::light, -40, [](const Finish& f) { return f.light.lights; }, -0.4},
        {"shadows", FinishPage::light, 60, [](const Finish& f) { return f.light.shadows; }, 0.6},
        {"corners", FinishPage::light, -1, [](const Finish& f) { return f.vignette.corners_ev; }, -1},
        {"warmth", FinishPage::colour, 7000, [](const Finish& f) { return f.light.warmth_k; }, 7000},
        {"violet", FinishPage::colour, 12, [](const Finish& f) { return f.light.violet; }, 12},
        {"saturation", FinishPage::colour, 30, [](const Finish& f) { return f.colour.saturation; }, 0.3},
        {"vibrance", FinishPage::colour, 50, [](const Finish& f) { return f.colour.vibrance; }, 0.5},
        {"clarity", FinishPage::detail, 40, [](const Finish& f) { return f.detail.clarity; }, 0.4},
        {"sharpening", FinishPage::detail, 120, [](const Finish& f) { return f.detail.sharpening; }, 1.2},
        {"turn", FinishPage::frame, 3, [](const Finish& f) { return f.framing.turn_deg; }, 3}};
    for (const Row& row : rows) {
        INFO(row.name);
        own.page(row.page);
        const QImage before = own.main.picture_view().grab().toImage();
        own.type(row.name, row.value);
        own.settle();
        CHECK(row.in(own.finish()) == Approx(row.becomes));
        CHECK(own.find<RowList>("whatWasDone").count() == 1);
        CHECK(test::mean_difference(before, own.main.picture_view().grab().toImage()) > 0.05);
        CHECK_FALSE(own.session.finish_look.patch());
        own.session.document.undo();
        own.settle();
        CHECK(is_neutral(own.finish()));
        CHECK(own.find<ValueRow>(row.name).value() ==
              Approx(row.in(own.finish()) / (std::abs(row.value) >= 20 && row.value < 1000 ? 0.01 : 1))
                  .margin(1e-6));
    }
}

TEST_CASE("what is seen at 100 % is what is written, to less than a step of 8 bits", "[finish][window]") {
    FinishWindow own;
    own.session.finishing.change("all", [](Finish& finish) {
        finish.light.exposure_ev = 0.3;
        finish.tones.white = 0.9;
        finish.colour.saturation = 0.2;
        finish.detail.sharpening = 0.5;
    });
    own.settle();
    const Picture written = with_bits(own.saved(), 8);
    const auto shown = own.session.finish_look.picture();
    REQUIRE(shown);
    const QImage& finest = shown->levels()[0];
    REQUIRE(finest.size() == QSize(written.width(), written.height()));
    int worst = 0;
    for (int y = 0; y < written.height(); ++y)
        for (int x = 0; x < written.width(); ++x) {
            const cv::Vec3b file = written.pixels.at<cv::Vec3b>(y, x);
            const QRgb screen = finest.pixel(x, y);
            worst = std::max({worst, std::abs(qRed(screen) - file[0]), std::abs(qGreen(screen) - file[1]),
                              std::abs(qBlue(screen) - file[2])});
        }
    CHECK(worst <= 1);
}

TEST_CASE("a change is seen in what is in view before the whole is made", "[finish][window]") {
    FinishWindow own;
    bool was_patch = false;
    QObject::connect(&own.session.finish_look, &FinishLook::changed, &own.main,
                     [&] { was_patch = was_patch || own.session.finish_look.patch() != nullptr; });
    own.page(FinishPage::light);
    own.type("exposure", 1);
    wait_until([&] { return was_patch; });
    CHECK_FALSE(own.session.finish_look.is_settled());
    own.settle();
    CHECK(own.session.finish_look.picture());
    CHECK_FALSE(own.session.finish_look.patch());
}

TEST_CASE("the tone line's handles are dragged, bent, moved by key and taken back", "[finish][window]") {
    FinishWindow own;
    ToneLine& line = own.main.tone_line();
    REQUIRE(line.isVisible());
    auto drag = [&](QPointF from, QPointF to) {
        QTest::mousePress(&line, Qt::LeftButton, {}, from.toPoint());
        for (int i = 1; i <= 3; ++i) QTest::mouseMove(&line, (from + (to - from) * (i / 3.0)).toPoint());
        QTest::mouseRelease(&line, Qt::LeftButton, {}, to.toPoint());
        own.settle();
    };
    const int steps = own.session.document.history().undo_steps();
    const QPointF white = line.place_of({ToneLine::Handle::white, 0});
    drag(white, {white.x(), line.y_of(0.8)});
    CHECK(own.finish().tones.white == Approx(0.8).margin(0.01));
    CHECK(own.session.document.history().undo_steps() == steps + 1);  // one drag, one step
    const QPointF black = line.place_of({ToneLine::Handle::black, 0});
    drag(black, {black.x(), line.y_of(0.1)});
    CHECK(own.finish().tones.black == Approx(0.1).margin(0.01));
    QTest::mouseDClick(&line, Qt::LeftButton, {}, QPoint(60, int(line.y_of(0.3))));
    own.settle();
    REQUIRE(own.finish().tones.curve.size() == 1);
    const QPointF point = line.place_of({ToneLine::Handle::point, 0});
    drag(point, point + QPointF(14, 0));
    CHECK(own.finish().tones.curve[0].becomes > own.finish().tones.curve[0].tone + 0.1);
    // By key: the middle, up.
    line.setFocus();
    QTest::keyClick(&line, Qt::Key_Left);
    REQUIRE(line.chosen().kind == ToneLine::Handle::middle);
    const double middle = own.finish().tones.middle;
    QTest::keyClick(&line, Qt::Key_Up);
    CHECK(own.finish().tones.middle > middle);
    // The file has these tones.
    const Finish done = own.finish();
    const Picture expected =
        finished(*finish_subject(own.merge().picture, own.merge().area.tl(), 1, {}), done, {});
    CHECK(greatest(own.saved(), expected) == 0);
    QTest::mouseDClick(&line, Qt::LeftButton, {}, line.place_of({ToneLine::Handle::point, 0}).toPoint());
    CHECK(own.finish().tones.curve.empty());
    QTest::mouseDClick(&line, Qt::LeftButton, {}, line.place_of({ToneLine::Handle::white, 0}).toPoint());
    CHECK(own.finish().tones.white == 1);
    CHECK(line.describe().contains("white 100.0 %"));
}

TEST_CASE("the tone line shows the picture's tones and the one under the pointer", "[finish][window]") {
    FinishWindow own;
    REQUIRE(own.session.finish_look.histogram());
    double sum = 0;
    for (const double share : own.session.finish_look.histogram()->share) sum += share;
    CHECK(sum == Approx(1));
    const auto there = own.session.finish_look.at({120, 70});
    REQUIRE(there);
    const cv::Vec3w value =
        own.merge().picture.pixels.at<cv::Vec3w>(70 - own.merge().area.y, 120 - own.merge().area.x);
    CHECK(there->tone == Approx(value[1] / 65535.0).margin(0.003));  // grey: its tone is its value
    CHECK_FALSE(own.session.finish_look.at({-50, -50}));
    QTest::mouseMove(&own.main.picture_view(), own.main.picture_view().to_widget({120, 70}).toPoint());
    CHECK(own.main.picture_view().caption().contains("Lab"));
}

TEST_CASE("the crop is drawn by its edges and corners, and handed over to the pixel", "[finish][window]") {
    FinishWindow own;
    own.page(FinishPage::frame);
    const PixelRect all = own.merge().area;
    own.drag({all.x - 0.5, all.y - 0.5}, {all.x + 40.0, all.y + 30.0});
    REQUIRE(own.finish().framing.crop);
    const PixelRect crop = *own.finish().framing.crop;
    CHECK(crop.x == Approx(all.x + 40).margin(2));
    CHECK(crop.y == Approx(all.y + 30).margin(2));
    CHECK(crop.br() == all.br());
    // From inside it moves; Shift keeps the shape of a dragged corner.
    own.drag({crop.x + 60.0, crop.y + 50.0}, {crop.x + 40.0, crop.y + 40.0});
    const PixelRect moved = *own.finish().framing.crop;
    CHECK(moved.size() == crop.size());
    CHECK(moved.x < crop.x);
    own.drag({moved.br().x - 0.5, moved.br().y - 0.5}, {moved.br().x - 60.0, moved.br().y - 8.0},
             Qt::ShiftModifier);
    const PixelRect smaller = *own.finish().framing.crop;
    CHECK(smaller.width < moved.width);
    CHECK(double(smaller.width) / smaller.height == Approx(double(moved.width) / moved.height).epsilon(0.02));
    const Picture file = own.saved();
    REQUIRE(file.pixels.size() == smaller.size());
    CHECK(cv::norm(file.pixels, own.merge().picture.pixels(smaller - all.tl()), cv::NORM_INF) == 0);
    // Typed sizes are exact.
    QSpinBox& width = own.find<QSpinBox>("cropWidth");
    width.selectAll();
    QTest::keyClicks(&width, "101");
    QTest::keyClick(&width, Qt::Key_Return);
    own.settle();
    CHECK(own.finish().framing.crop->width == 101);
    test::choose(&own.find<QComboBox>("cropShape"), 1);
    emit own.find<QComboBox>("cropShape").activated(1);
    own.settle();
    CHECK(own.finish().framing.crop->width == own.finish().framing.crop->height);
    own.main.commands().action("crop-all")->trigger();
    CHECK_FALSE(own.finish().framing.crop);
}

TEST_CASE("a crop never leaves its bounds, whatever grip is moved how far", "[finish]") {
    const PixelRect within(10, 10, 200, 100), crop(50, 40, 60, 30);
    for (int across = -1; across <= 1; ++across)
        for (int down = -1; down <= 1; ++down)
            for (const QPoint by : {QPoint(500, 500), QPoint(-500, -500), QPoint(7, -500), QPoint(-9, 3)})
                for (const double shape : {0.0, 2.0}) {
                    const FinishHands::Grip grip{across, down, across == 0 && down == 0};
                    const PixelRect moved = FinishHands::moved(crop, grip, by, within, shape);
                    INFO(across << down << " " << by.x() << "," << by.y() << " " << shape << " " << moved);
                    CHECK((moved & within) == moved);
                    CHECK(moved.area() > 0);
                }
    CHECK_FALSE(FinishHands::grip_of(crop, {10, 10}, 4));
    CHECK(FinishHands::grip_of(crop, {80, 55}, 4)->inside);
    CHECK(FinishHands::grip_of(crop, {109.5, 69.5}, 4)->across == 1);
    CHECK(FinishHands::grip_of(crop, {109.5, 69.5}, 4)->down == 1);
}

TEST_CASE("a line drawn in the picture levels it", "[finish][window]") {
    FinishWindow own;
    own.main.commands().action("level-line")->trigger();
    own.settle();
    CHECK(own.session.standpoint.finish_hand() == FinishHand::level);
    own.drag({40, 60}, {200, 68});
    CHECK(own.finish().framing.turn_deg == Approx(-std::atan2(8, 160) * 180 / CV_PI).margin(0.4));
    CHECK(own.session.standpoint.finish_hand() == FinishHand::none);
    // The comparison is turned, too, and nothing else is done to it.
    CHECK(own.session.finish_look.before());
    const Picture file = own.saved();
    CHECK(file.width() < own.merge().picture.width());
    CHECK(file.alpha.empty());
    test::choose(&own.find<QComboBox>("emptyCorners"), 1);
    emit own.find<QComboBox>("emptyCorners").activated(1);
    own.settle();
    CHECK_FALSE(own.saved().alpha.empty());
}

TEST_CASE("a colour is pointed at and dragged", "[finish][window]") {
    FinishWindow own;
    own.page(FinishPage::colour);
    const Picture before = own.saved();
    const int steps = own.session.document.history().undo_steps();
    PictureView& view = own.main.picture_view();
    const QPointF red(30, 70);
    const QPointF end = view.to_plane(view.to_widget(red) + QPointF(100, 0));
    own.drag(red, end);
    REQUIRE(own.finish().colour.ones.size() == 1);
    CHECK(own.finish().colour.ones[0].saturation == Approx(0.25).margin(0.02));
    CHECK(own.finish().colour.ones[0].lightness == Approx(0).margin(0.011));
    CHECK(own.session.document.history().undo_steps() == steps + 1);
    const Picture after = own.saved();
    auto share_of_red = [](const Picture& own_picture, int x) {
        const cv::Scalar mean = cv::mean(own_picture.pixels(cv::Rect(x, 20, 30, 90)));
        return mean[0] / (mean[0] + mean[1] + mean[2]);
    };
    CHECK(share_of_red(after, 20) > share_of_red(before, 20) + 0.02);
    CHECK(share_of_red(after, 190) == Approx(share_of_red(before, 190)).margin(0.002));
    // Dragged again it goes on with the same colour; with Shift its hue turns.
    own.drag(red, view.to_plane(view.to_widget(red) + QPointF(80, 0)), Qt::ShiftModifier);
    REQUIRE(own.finish().colour.ones.size() == 1);
    CHECK(own.finish().colour.ones[0].turn_deg == Approx(20).margin(1));
    CHECK(own.find<RowList>("singleColours").count() == 1);
    // Grey has no colour to drag.
    own.drag({120, 70}, {140, 70});
    CHECK(own.finish().colour.ones.size() == 1);
    CHECK(own.said.contains("grey"));
}

TEST_CASE("a picked grey sets warmth and tint, Escape lets go", "[finish][window]") {
    FinishWindow own;
    own.main.commands().action("pick-grey")->trigger();
    CHECK(own.session.standpoint.finish_hand() == FinishHand::grey);
    QTest::keyClick(&own.main, Qt::Key_Escape);
    CHECK(own.session.standpoint.finish_hand() == FinishHand::none);
    own.main.commands().action("pick-grey")->trigger();
    own.click_at({200, 70});  // the green third
    CHECK(own.finish().light.violet > 5);
    const auto there = own.session.finish_look.at({200, 70});
    REQUIRE(there);
    CHECK(std::hypot(there->lab[1], there->lab[2]) < 6);
    own.main.commands().action("as-shot-white")->trigger();
    CHECK(is_neutral(own.finish()));
}

TEST_CASE("a click on the Ground page picks the ground, which can be left as it is again",
          "[finish][window]") {
    FinishWindow own;
    own.page(FinishPage::ground);
    CHECK_FALSE(own.find<QPushButton>("removeGround").isEnabled());
    own.click_at({120, 70});
    REQUIRE(own.finish().ground.picked);
    CHECK(own.finish().ground.picked->x == Approx(120).margin(1));
    CHECK(own.find<RowList>("whatWasDone").row(0).words.startsWith("ground"));
    // The next press pans again: the place that was picked stays.
    own.click_at({60, 40});
    CHECK(own.finish().ground.picked->x == Approx(120).margin(1));
    own.type("groundTone", 50);
    CHECK(own.finish().ground.tone == 0.5);
    test::click(&own.find<QPushButton>("removeGround"));
    CHECK(is_neutral(own.finish()));
    own.main.commands().action("pick-ground")->trigger();
    own.click_at({900, 70});
    CHECK_FALSE(own.finish().ground.picked);
    CHECK(own.said.contains("outside"));
}

TEST_CASE("lines of what was done are switched off, on and reset", "[finish][window]") {
    FinishWindow own;
    own.session.finishing.change("two", [](Finish& finish) {
        finish.light.exposure_ev = 1;
        finish.colour.saturation = 0.5;
    });
    own.settle();
    RowList& done = own.find<RowList>("whatWasDone");
    REQUIRE(done.count() == 2);
    CHECK(done.row(0).words.contains("exposure +1.00 EV"));
    test::tick(done, 0, false);
    own.settle();
    CHECK(is_off(own.finish(), FinishPart::light));
    CHECK(own.finish().light.exposure_ev == 1);
    Finish colour_alone = own.finish();
    colour_alone.light = {};
    CHECK(greatest(own.saved(), finished(*finish_subject(own.merge().picture, own.merge().area.tl(), 1, {}),
                                         colour_alone, {})) == 0);
    done.setCurrentIndex(done.model()->index(1, 0));
    emit done.pressed_on(1);
    CHECK(own.session.standpoint.finish_page() == FinishPage::colour);
    test::click(&own.find<QPushButton>("resetPart"));
    CHECK(own.finish().colour == Colour{});
}

TEST_CASE("the picture before is seen while a key is held", "[finish][window]") {
    FinishWindow own;
    own.page(FinishPage::light);
    const QColor before = own.seen({120, 70});
    own.type("exposure", 2);
    own.settle();
    own.main.picture_view().setFocus();
    const QColor after = own.seen({120, 70});
    CHECK(after.green() > before.green() + 20);
    QTest::keyPress(&own.main, Qt::Key_V);
    CHECK(std::abs(own.seen({120, 70}).green() - before.green()) <= 2);
    QTest::keyRelease(&own.main, Qt::Key_V);
    CHECK(own.seen({120, 70}) == after);
}

TEST_CASE("several files are handed over at once, and one that fails stops no other", "[finish][window]") {
    FinishWindow own;
    own.page(FinishPage::hand_over);
    own.find<QLineEdit>("exportFolder").setText(QString::fromStdString(own.out.folder().string()));
    QLineEdit& name = own.find<QLineEdit>("exportName");
    name.selectAll();
    QTest::keyClicks(&name, "{series}-{method}");
    test::click(&own.find<QPushButton>("addOutput"));
    own.settle();
    REQUIRE(own.session.document.project().hand_over.outputs.size() == 2);
    const RowList& list = own.find<RowList>("outputs");
    CHECK(list.current() == 1);
    CHECK(list.row(1).words.contains("JPEG"));
    // Smaller than the picture, so that it is resized.
    QDoubleSpinBox& size = own.find<QDoubleSpinBox>("outputSizeValue");
    size.selectAll();
    QTest::keyClicks(&size, "100");
    QTest::keyClick(&size, Qt::Key_Return);
    const QString series = QString::fromStdString(own.session.document.project().name);
    wait_until([&] { return own.find<QLabel>("nameOutcome").text() == series + "-blend-100.jpg"; });
    test::click(&own.find<QPushButton>("export"));
    QLabel& outcome = own.find<QLabel>("exportOutcome");
    wait_until([&] { return outcome.text().count("Saved") == 2; });
    const auto file = [&](const QString& own_name) { return own.out / own_name.toStdString(); };
    CHECK(read_picture(file(series + "-blend.tif")).bits() == 16);
    CHECK(read_picture(file(series + "-blend-100.jpg")).width() == 100);
    CHECK(is_handed_over(own.session.document.project(), *own.session.standpoint.result()));
    // A folder in the way of the second one: the first is written, what failed is said.
    std::filesystem::remove(file(series + "-blend.tif"));
    std::filesystem::remove(file(series + "-blend-100.jpg"));
    std::filesystem::create_directory(file(series + "-blend-100.jpg"));
    test::click(&own.find<QPushButton>("export"));
    wait_until([&] { return outcome.text().contains("exist"); });
    test::click(&own.find<QPushButton>("replace"));
    wait_until([&] { return outcome.text().contains("Saved") && outcome.text().contains("<br>"); });
    CHECK(std::filesystem::is_regular_file(file(series + "-blend.tif")));
    CHECK(std::filesystem::is_directory(file(series + "-blend-100.jpg")));
    // What was handed over is of before the next change.
    own.session.finishing.change("light", [](Finish& finish) { finish.light.exposure_ev = 1; });
    CHECK_FALSE(is_handed_over(own.session.document.project(), *own.session.standpoint.result()));
}

TEST_CASE("a name that means nothing is said while it is typed, and nothing is written", "[finish][window]") {
    FinishWindow own;
    own.page(FinishPage::hand_over);
    own.find<QLineEdit>("exportFolder").setText(QString::fromStdString(own.out.folder().string()));
    QLineEdit& name = own.find<QLineEdit>("exportName");
    name.selectAll();
    QTest::keyClicks(&name, "{sries}");
    wait_until([&] { return own.find<QLabel>("nameOutcome").text().contains("{series}"); });
    test::click(&own.find<QPushButton>("export"));
    own.settle();
    CHECK(own.said.contains("{sries} is no part of a name"));
    CHECK(std::filesystem::is_empty(own.out.folder()));
}

TEST_CASE("the finish stays for the next merge, is kept with the project, and copied to another",
          "[finish][window]") {
    FinishWindow own;
    own.page(FinishPage::light);
    own.type("exposure", 0.7);
    own.session.finishing.change("crop", [&](Finish& finish) {
        finish.framing.crop = PixelRect(own.merge().area.x + 5, own.merge().area.y + 6, 100, 90);
    });
    own.settle();
    MergeChoice choice = own.session.merging.choice();
    choice.method = "depth";
    own.session.merging.set_choice(choice, "method");
    own.session.merging.merge();
    wait_until([&] { return own.session.document.project().results.size() == 2; });
    own.settle();
    CHECK(own.finish().light.exposure_ev == 0.7);
    CHECK(own.saved().width() == 100);
    wait_until([&] { return own.session.autosave.is_settled(); });
    own.session.autosave.keep_as(own.out.folder(), "kept");
    wait_until([&] {
        return own.session.autosave.is_settled() && std::filesystem::exists(own.out / "kept/kept.moorhaze");
    });
    CHECK(open_project(own.out / "kept/kept.moorhaze", {}).saved.project.finish.finish == own.finish());
    own.main.commands().action("copy-finish")->trigger();
    own.main.commands().action("reset-finish")->trigger();
    CHECK(is_neutral(own.finish()));
    own.main.commands().action("paste-finish")->trigger();
    CHECK(own.finish().light.exposure_ev == 0.7);
    CHECK_FALSE(own.finish().framing.crop);  // a frame belongs to its picture
}

TEST_CASE("noise is measured where the button is pressed, fringes at edges by typing, both seen in the file",
          "[finish][window]") {
    FinishWindow own;
    own.page(FinishPage::detail);
    const Picture plain = own.saved("plain.tif");
    own.type("noise", 2);
    own.settle();
    CHECK(own.finish().detail.noise == Approx(0.02));
    const Picture quiet = own.saved("quiet.tif");
    CHECK(cv::norm(plain.pixels, quiet.pixels, cv::NORM_L1) > 0);
    own.find<QAction>("measure-noise").trigger();
    own.settle();
    // What is measured is what is set, one step of undo; or it is said that there is none.
    const double measured =
        noise_of(with_bits(own.merge().picture, 16), ToneCurve(own.merge().picture.profile), {});
    if (measured >= 0.001)
        CHECK(own.finish().detail.noise == Approx(measured));
    else
        CHECK(own.said.contains(QLatin1String("no noise")));
    own.page(FinishPage::colour);
    own.type("edgeFringes", 60);
    own.settle();
    CHECK(own.finish().fringes.at_edges == Approx(0.6));
    own.find<QAction>("find-fringes").trigger();
    own.settle();
    // The strips have no lateral fringes and no lens.
    own.find<QAction>("correct-lens").trigger();
    CHECK(own.said.contains(QLatin1String("do not say which lens")));
    own.find<QAction>("find-fringes").trigger();
    own.settle();
    CHECK(own.said.contains(QLatin1String("lie where green is")));
    CHECK(own.finish().fringes.red == LateralFringe{});
    CHECK(own.finish().fringes.at_edges == Approx(0.6));
}

TEST_CASE("what is sharpened is painted with the brush, taken back, and seen in the file",
          "[finish][window]") {
    FinishWindow own;
    own.page(FinishPage::detail);
    const Picture plain = own.saved("plain.tif");
    Brush brush = own.session.standpoint.brush();
    brush.radius_px = 15, brush.softness = 0;
    own.session.standpoint.set_brush(brush);
    own.find<QAction>("paint-sharpening").trigger();
    CHECK(own.main.picture_view().has_brush());
    own.drag({60, 60}, {180, 60});
    const auto& painted = own.finish().detail.painted;
    REQUIRE(painted.size() == 1);
    CHECK(painted[0].points.size() >= 2);
    CHECK(own.finish().detail.sharpening == Approx(0.5));  // painted before it was set
    const Picture made = own.saved("painted.tif");
    const cv::Rect on(70, 50, 100, 20), beside(10, 100, 220, 30);
    CHECK(cv::norm(made.pixels(on), plain.pixels(on), cv::NORM_INF) > 300);
    CHECK(cv::norm(made.pixels(beside), plain.pixels(beside), cv::NORM_INF) == 0);
    own.find<QAction>("unpaint-sharpening").trigger();
    own.drag({60, 60}, {180, 60});
    REQUIRE(own.finish().detail.painted.size() == 2);
    CHECK(cv::norm(own.saved("back.tif").pixels(on), plain.pixels(on), cv::NORM_INF) <= 2);
    // Each stroke is one step.
    own.session.document.undo();
    CHECK(own.finish().detail.painted.size() == 1);
    QTest::keyClick(&own.main, Qt::Key_Escape);
    CHECK_FALSE(own.main.picture_view().has_brush());
    own.find<QAction>("sharpen-everywhere").trigger();
    CHECK(own.finish().detail.painted.empty());
    CHECK(cv::norm(own.saved("all.tif").pixels(beside), plain.pixels(beside), cv::NORM_INF) > 300);
}

TEST_CASE("names of files count up to a free one, article numbers come from a list", "[finish][window]") {
    FinishWindow own;
    own.page(FinishPage::hand_over);
    const auto list = own.projects / "articles.csv";
    const QString series = QString::fromStdString(own.session.document.project().name);
    std::ofstream(list) << series.toStdString() << ",88 012\n";
    HandOver hand_over;
    hand_over.outputs[0].name = "{article}-{number}";
    hand_over.article_list = list;
    own.session.document.edit("list", with_hand_over(own.session.document.project(), hand_over));
    own.settle();
    own.find<QLineEdit>("exportFolder").setText(QString::fromStdString(own.out.folder().string()));
    CHECK(own.find<QLineEdit>("article").placeholderText() == "88 012");
    for (const char* name : {"88 012-01.tif", "88 012-02.tif"}) {
        own.find<QLabel>("exportOutcome").clear();
        test::click(&own.find<QPushButton>("export"));
        wait_until([&] { return own.find<QLabel>("exportOutcome").text().contains("Saved"); });
        own.settle();
        INFO(name);
        CHECK(std::filesystem::exists(own.out / name));
    }
    CHECK(own.find<QLabel>("exportOutcome").text().contains("href=\"file://"));
}

TEST_CASE(
    "a file that is chosen for names or colours is read first: what it is not is said and changes nothing",
    "[finish][window]") {
    FinishWindow own;
    own.page(FinishPage::hand_over);
    HandOverChoice& choice = own.session.hand_over_choice;
    const auto file = [&](const char* name, const std::string& bytes) {
        test::write_all(own.projects / name, bytes);
        return QString::fromStdString((own.projects / name).string());
    };
    const auto reading = [&](const std::function<void()>& choose) {
        own.said.clear();
        choose();
        wait_until([&] { return !choice.is_reading(); });
    };
    const HandOver before = choice.own();
    const int steps = own.session.document.history().undo_steps();
    reading([&] { choice.take_profile(0, file("profile.icc", "no profile at all")); });
    CHECK(own.said.contains("profile.icc"));
    reading([&] { choice.take_articles(own.projects.folder().c_str()); });
    CHECK_FALSE(own.said.isEmpty());
    CHECK(choice.own() == before);
    CHECK(own.session.document.history().undo_steps() == steps);
    own.settle();
    CHECK(own.find<QComboBox>("outputProfile").currentIndex() == 0);

    const QString list = file("articles.csv", "heath,88 012\n");
    reading([&] { choice.take_articles(list); });
    CHECK(choice.own().article_list == list.toStdString());
    own.session.document.undo();
    CHECK(choice.own() == before);
    // Another series is open when it has been read: the list is not for that one, and it is said.
    own.said.clear();
    choice.take_articles(list);
    own.session.opening.close_series();
    wait_until([&] { return !choice.is_reading(); });
    CHECK(choice.own().article_list.empty());
    CHECK(own.said.contains("no longer open"));
}

TEST_CASE("the corners' light is placed by a click, the ground gets another colour", "[finish][window]") {
    FinishWindow own;
    own.page(FinishPage::light);
    own.type("corners", -2);
    own.settle();
    own.find<QAction>("place-vignette").trigger();
    own.click_at({60, 35});
    CHECK(own.finish().vignette.across == Approx(60.5 / 240).margin(0.01));
    CHECK(own.finish().vignette.down == Approx(35.5 / 140).margin(0.01));
    CHECK(own.session.standpoint.finish_hand() == FinishHand::none);
    const Picture plain = own.merge().picture, made = own.saved();
    const auto darker = [&](int x, int y) {
        return double(made.pixels.at<cv::Vec3w>(y, x)[1]) / plain.pixels.at<cv::Vec3w>(y, x)[1];
    };
    CHECK(darker(60, 35) > 0.98);
    CHECK(darker(236, 136) < 0.7);

    own.session.finishing.reset_all();
    own.page(FinishPage::ground);
    own.session.finishing.pick_ground({120, 70});
    own.session.finishing.set_ground_colour(cv::Vec3d(0.2, 0.4, 0.6));
    own.settle();
    CHECK(own.find<QPushButton>("groundColour").text().contains("White"));
    const std::string words = in_words(own.finish(), FinishPart::ground);
    CHECK_THAT(words, Catch::Contains("#336699"));
    test::click(&own.find<QPushButton>("groundColour"));
    CHECK_FALSE(own.finish().ground.colour);
}

TEST_CASE("what is measured in the finished picture is done from any stage, as soon as it is there",
          "[finish][window]") {
    FinishWindow own;
    own.session.standpoint.set_stage(Stage::merge);
    const Tones before = own.finish().tones;
    own.session.finishing.fit_tones();
    CHECK(own.session.standpoint.stage() == Stage::finish);
    wait_until([&] { return own.finish().tones != before; });
    // Given up by going elsewhere, it is not done later.
    own.session.standpoint.set_stage(Stage::merge);
    own.settle();
    own.session.document.undo();
    REQUIRE(own.finish().tones == before);
    own.session.finishing.fit_tones();
    own.session.standpoint.set_stage(Stage::merge);
    own.settle();
    own.session.standpoint.set_stage(Stage::finish);
    own.settle();
    CHECK(own.finish().tones == before);
}

TEST_CASE("a number that is being typed stays, whatever else is refreshed", "[finish][window]") {
    FinishWindow own;
    own.page(FinishPage::light);
    auto* field = own.find<QWidget>("exposure").findChild<QDoubleSpinBox*>();
    field->setFocus();
    field->selectAll();
    QTest::keyClicks(field, "1.2");
    emit own.session.set_run.changed();  // ten times a second while a set runs
    emit own.session.products.changed(Products::Kind::look);
    CHECK(field->text().startsWith("1.2"));
    QTest::keyClick(field, Qt::Key_Return);
    CHECK(own.finish().light.exposure_ev == Approx(1.2));
}

TEST_CASE("two drags of one slider are two steps of undo, one drag is one", "[finish][window]") {
    FinishWindow own;
    own.page(FinishPage::light);
    auto* slider = own.find<QWidget>("exposure").findChild<QSlider*>();
    const auto drag = [&](int by) {
        // At the handle, where it lies: elsewhere a press would move it there.
        const QPoint at(QStyle::sliderPositionFromValue(slider->minimum(), slider->maximum(), slider->value(),
                                                        slider->width()),
                        slider->height() / 2);
        QTest::mousePress(slider, Qt::LeftButton, {}, at);
        for (int i = 1; i <= 3; ++i) slider->setValue(slider->value() + by);
        QTest::mouseRelease(slider, Qt::LeftButton, {}, at);
    };
    drag(20);
    const double once = own.finish().light.exposure_ev;
    drag(20);
    CHECK(own.finish().light.exposure_ev > once);
    own.session.document.undo();
    CHECK(own.finish().light.exposure_ev == Approx(once).margin(0.3));
    own.session.document.undo();
    CHECK(own.finish().light.exposure_ev == 0);
}

TEST_CASE("Finish opens with the frame's edges in sight", "[finish][window]") {
    FinishWindow own;
    own.page(FinishPage::light);
    own.session.standpoint.set_stage(Stage::merge);
    own.settle();
    PictureView& view = own.main.picture_view();
    view.set_view(8, {120, 70});
    REQUIRE_FALSE(view.seen().contains(QRect(0, 0, 200, 120)));
    own.session.standpoint.set_finish_page(FinishPage::frame);
    own.session.standpoint.set_stage(Stage::finish);
    own.settle();
    CHECK(view.seen().contains(to_qrect(own.session.finishing.kept())));
}
