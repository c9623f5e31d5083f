// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/view/picture_view.h"

#include <QPointingDevice>
#include <QSignalSpy>
#include <QTabletEvent>
#include <QTest>
#include <QWheelEvent>
#include <catch2/catch.hpp>

#include "tests/support/textured.h"

using namespace moorhaze;
using namespace moorhaze::desktop;

namespace {

std::shared_ptr<const DisplayPicture> even_picture(QSize size, cv::Vec3b rgb, QPoint origin = {}) {
    const Picture picture{
        cv::Mat(size.height(), size.width(), CV_8UC3, cv::Scalar(rgb[0], rgb[1], rgb[2])), {}, {}};
    return std::make_shared<DisplayPicture>(display_levels(picture, {}), origin);
}

std::unique_ptr<PictureView> view_with(QSize plane) {
    auto view = std::make_unique<PictureView>();
    view->resize(800, 600);
    view->set_plane(plane);
    view->set_picture(even_picture(plane, {200, 30, 30}), QStringLiteral("red"));
    view->show();
    return view;
}

QColor colour_at(PictureView& view, QPoint at) {
    return view.grab().toImage().pixelColor(at);
}

}  // namespace

TEST_CASE("fit shows the whole picture in the middle", "[desktop]") {
    const auto view = view_with({3000, 2000});
    CHECK(view->zoom() == Approx(800.0 / 3000));
    CHECK(view->to_widget({1499.5, 999.5}).x() == Approx(400));
    CHECK(view->to_widget({1499.5, 999.5}).y() == Approx(300));
    CHECK(colour_at(*view, {400, 300}) == QColor(200, 30, 30));
    CHECK(colour_at(*view, {400, 10}) == QColor(kSurroundGrey, kSurroundGrey, kSurroundGrey));
}

TEST_CASE("the wheel zooms around the pointer", "[desktop]") {
    const auto view = view_with({3000, 2000});
    const QPointF pointer(250, 410), before = view->to_plane(pointer);
    for (const int delta : {120, 120, 120, -120}) {
        QWheelEvent wheel(pointer, view->mapToGlobal(pointer), {}, QPoint(0, delta), Qt::NoButton, {},
                          Qt::NoScrollPhase, false);
        QCoreApplication::sendEvent(view.get(), &wheel);
        CHECK(view->to_plane(pointer).x() == Approx(before.x()).margin(1e-6));
        CHECK(view->to_plane(pointer).y() == Approx(before.y()).margin(1e-6));
    }
    CHECK(view->zoom() == Approx(800.0 / 3000 * 2));
}

TEST_CASE("at 100 % a picture pixel is a screen pixel, at 200 % a block of four", "[desktop]") {
    auto view = std::make_unique<PictureView>();
    view->resize(400, 300);
    view->set_plane({1000, 800});
    const Picture picture = test::colourful({1000, 800}, 8, false);
    view->set_picture(std::make_shared<DisplayPicture>(display_levels(picture, {}), QPoint()), {});
    view->show();
    for (const int zoom : {1, 2}) {
        view->set_zoom(zoom);
        const QImage shot = view->grab().toImage();
        int same = 0, count = 0;
        for (int y = 40; y < 260; y += 7)
            for (int x = 40; x < 360; x += 9, ++count) {
                const QPointF place = view->to_plane(QPointF(x + 0.5, y + 0.5));
                const auto rgb =
                    picture.pixels.at<cv::Vec3b>(int(std::lround(place.y())), int(std::lround(place.x())));
                same += shot.pixelColor(x, y) == QColor(rgb[0], rgb[1], rgb[2]);
            }
        INFO("zoom " << zoom);
        // A pixel whose edge falls exactly between two may go either way.
        CHECK(same > 0.97 * count);
    }
}

TEST_CASE("with Shift the brush draws straight on from where the last stroke ended", "[desktop]") {
    const auto view = view_with({3000, 2000});
    view->set_brush(20.0);
    QSignalSpy began(view.get(), &PictureView::stroke_began), moved(view.get(), &PictureView::stroke_moved);
    QTest::mouseClick(view.get(), Qt::LeftButton, Qt::ShiftModifier, QPoint(200, 200));
    REQUIRE(began.size() == 1);  // nothing to go on from: a dot
    CHECK(moved.size() == 0);
    QTest::mouseClick(view.get(), Qt::LeftButton, Qt::ShiftModifier, QPoint(500, 350));
    REQUIRE(began.size() == 2);
    REQUIRE(moved.size() == 1);
    CHECK(began[1][0].toPointF() == view->to_plane({200, 200}));
    CHECK(moved[0][0].toPointF() == view->to_plane({500, 350}));
    QTest::mouseClick(view.get(), Qt::LeftButton, {}, QPoint(100, 100));
    CHECK(began[2][0].toPointF() == view->to_plane({100, 100}));
}

TEST_CASE("a pen paints with its pressure, and its other end wipes back", "[desktop]") {
    const auto view = view_with({3000, 2000});
    const QPointingDevice pen(QStringLiteral("pen"), 1, QInputDevice::DeviceType::Stylus,
                              QPointingDevice::PointerType::Pen, QInputDevice::Capability::Pressure, 1, 1);
    const QPointingDevice other_end(QStringLiteral("eraser"), 2, QInputDevice::DeviceType::Stylus,
                                    QPointingDevice::PointerType::Eraser, QInputDevice::Capability::Pressure,
                                    1, 1);
    QSignalSpy began(view.get(), &PictureView::stroke_began), moved(view.get(), &PictureView::stroke_moved),
        ended(view.get(), &PictureView::stroke_ended), turned(view.get(), &PictureView::eraser_used);
    auto send = [&](QEvent::Type type, const QPointingDevice& device, QPointF at, double pressure) {
        const Qt::MouseButtons held =
            type == QEvent::TabletRelease ? Qt::MouseButtons() : Qt::MouseButtons(Qt::LeftButton);
        QTabletEvent event(type, &device, at, view->mapToGlobal(at), pressure, 0, 0, 0, 0, 0, {},
                           Qt::LeftButton, held);
        QCoreApplication::sendEvent(view.get(), &event);
        return event.isAccepted();
    };
    // Without a brush a pen is a mouse.
    CHECK_FALSE(send(QEvent::TabletPress, pen, {200, 200}, 0.5));
    view->set_brush(30.0);
    CHECK(send(QEvent::TabletPress, pen, {200, 200}, 0.5));
    CHECK(send(QEvent::TabletMove, pen, {240, 220}, 0.75));
    CHECK(send(QEvent::TabletRelease, pen, {240, 220}, 0));
    REQUIRE(began.size() == 1);
    CHECK(began[0][0].toPointF() == view->to_plane({200, 200}));
    CHECK(began[0][1].toDouble() == 0.5);
    REQUIRE(moved.size() == 1);
    CHECK(moved[0][1].toDouble() == 0.75);
    CHECK(ended.size() == 1);
    CHECK(turned.size() == 0);
    send(QEvent::TabletPress, other_end, {300, 300}, 1);
    send(QEvent::TabletRelease, other_end, {300, 300}, 0);
    REQUIRE(turned.size() == 1);
    CHECK(turned[0][0].toBool());
    CHECK(ended.size() == 2);
    send(QEvent::TabletPress, pen, {310, 300}, 1);
    CHECK_FALSE(turned.back()[0].toBool());
}

TEST_CASE("while Z is held moving the pointer shapes the brush and paints nothing", "[desktop]") {
    const auto view = view_with({800, 600});
    QSignalSpy shaped(view.get(), &PictureView::brush_shaped), began(view.get(), &PictureView::stroke_began);
    view->setFocus();
    QTest::mouseMove(view.get(), QPoint(200, 200));
    QTest::keyPress(view.get(), Qt::Key_Z);
    QTest::mouseMove(view.get(), QPoint(240, 190));
    CHECK(shaped.empty());  // without a brush there is none to shape
    QTest::keyRelease(view.get(), Qt::Key_Z);
    view->set_brush(20.0);
    QTest::keyPress(view.get(), Qt::Key_Z);
    QTest::mouseMove(view.get(), QPoint(300, 160));
    REQUIRE(shaped.size() == 1);
    CHECK(shaped[0][0].toDouble() == 60);
    CHECK(shaped[0][1].toDouble() == 30);
    QTest::keyRelease(view.get(), Qt::Key_Z);
    QTest::mouseMove(view.get(), QPoint(310, 160));
    CHECK(shaped.size() == 1);
    CHECK(began.empty());
}

TEST_CASE("looking close goes to the pointer's place, or the mark's, and back to the whole", "[desktop]") {
    const auto view = view_with({3000, 2000});
    const double whole = view->zoom();
    QTest::mouseMove(view.get(), QPoint(200, 300));
    const QPointF pointed = view->to_plane({200, 300});
    view->look_close(1.5);
    CHECK(view->zoom() == 1.5);
    CHECK(view->to_widget(pointed).x() == Approx(200));
    view->look_close(1.5);
    CHECK(view->is_fit());
    CHECK(view->zoom() == whole);
    QEvent leaves(QEvent::Leave);
    QCoreApplication::sendEvent(view.get(), &leaves);
    view->look_close(2);
    CHECK(view->zoom() == 2);
    CHECK(view->centre() == view->mark());
}

TEST_CASE("dragging pans, a click points", "[desktop]") {
    const auto view = view_with({3000, 2000});
    view->set_zoom(1);
    QSignalSpy pointed(view.get(), &PictureView::pointed);
    const QPointF before = view->to_plane({400, 300});
    QTest::mousePress(view.get(), Qt::LeftButton, {}, QPoint(400, 300));
    QTest::mouseMove(view.get(), QPoint(420, 310));
    QTest::mouseMove(view.get(), QPoint(460, 330));
    QTest::mouseRelease(view.get(), Qt::LeftButton, {}, QPoint(460, 330));
    CHECK(view->to_plane({460, 330}).x() == Approx(before.x()).margin(1.01));
    CHECK(pointed.empty());
    QTest::mouseClick(view.get(), Qt::LeftButton, {}, QPoint(100, 120));
    REQUIRE(pointed.size() == 1);
    CHECK(pointed[0][0].toPointF().x() == Approx(view->to_plane({100, 120}).x()));
}

TEST_CASE("the curtain shows the other picture at its left and can be dragged", "[desktop]") {
    const auto view = view_with({800, 600});
    view->set_other(even_picture({800, 600}, {20, 20, 220}), QStringLiteral("blue"));
    CHECK(colour_at(*view, {100, 300}) == QColor(200, 30, 30));
    view->set_curtain(true);
    CHECK(colour_at(*view, {100, 300}) == QColor(20, 20, 220));
    CHECK(colour_at(*view, {700, 300}) == QColor(200, 30, 30));
    QTest::mousePress(view.get(), Qt::LeftButton, {}, QPoint(400, 200));
    QTest::mouseMove(view.get(), QPoint(80, 200));
    QTest::mouseRelease(view.get(), Qt::LeftButton, {}, QPoint(80, 200));
    CHECK(view->curtain_place() == Approx(0.1).margin(0.01));
    CHECK(colour_at(*view, {200, 300}) == QColor(200, 30, 30));
}

TEST_CASE("flip swaps to the other picture while it is held", "[desktop]") {
    const auto view = view_with({800, 600});
    view->set_other(even_picture({800, 600}, {20, 20, 220}), QStringLiteral("blue"));
    view->set_flipped(true);
    CHECK(colour_at(*view, {600, 300}) == QColor(20, 20, 220));
    view->set_flipped(false);
    CHECK(colour_at(*view, {600, 300}) == QColor(200, 30, 30));
}

TEST_CASE("a picture that covers part of the plane stands at its place", "[desktop]") {
    const auto view = view_with({800, 600});
    view->set_picture(even_picture({200, 100}, {10, 220, 10}, {300, 400}), {});
    CHECK(colour_at(*view, {400, 450}) == QColor(10, 220, 10));
    CHECK(colour_at(*view, {400, 300}) == QColor(kSurroundGrey, kSurroundGrey, kSurroundGrey));
}

TEST_CASE("with a brush the left button paints, and the keyboard can paint too", "[desktop]") {
    const auto view = view_with({800, 600});
    view->set_brush(20.0);
    QSignalSpy began(view.get(), &PictureView::stroke_began), moved(view.get(), &PictureView::stroke_moved),
        ended(view.get(), &PictureView::stroke_ended);
    QTest::mousePress(view.get(), Qt::LeftButton, {}, QPoint(200, 200));
    QTest::mouseMove(view.get(), QPoint(260, 220));
    QTest::mouseRelease(view.get(), Qt::LeftButton, {}, QPoint(260, 220));
    CHECK((began.size() == 1 && moved.size() >= 1 && ended.size() == 1));
    view->setFocus();
    QTest::keyClick(view.get(), Qt::Key_Return);
    for (int i = 0; i < 5; ++i) QTest::keyClick(view.get(), Qt::Key_Right);
    QTest::keyClick(view.get(), Qt::Key_Return);
    CHECK((began.size() == 2 && ended.size() == 2));
    CHECK(moved.back()[0].toPointF().x() == Approx(began.back()[0].toPointF().x() + 40));
}

TEST_CASE("one hand draws at a time: what else is pressed meanwhile neither ends nor loses a stroke",
          "[desktop]") {
    const auto view = view_with({800, 600});
    view->set_brush(10);
    QSignalSpy began(view.get(), &PictureView::stroke_began), ended(view.get(), &PictureView::stroke_ended),
        sounded(view.get(), &PictureView::sounded);
    QTest::mousePress(view.get(), Qt::LeftButton, {}, {100, 100});
    QTest::mousePress(view.get(), Qt::MiddleButton, {}, {110, 100});
    QTest::mousePress(view.get(), Qt::RightButton, {}, {110, 100});
    QTest::mouseRelease(view.get(), Qt::MiddleButton, {}, {110, 100});
    QTest::mouseRelease(view.get(), Qt::RightButton, {}, {110, 100});
    CHECK(ended.isEmpty());
    CHECK(sounded.isEmpty());
    QTest::keyClick(view.get(), Qt::Key_Return);  // the keys have to wait, too
    CHECK(began.size() == 1);
    QTest::mouseRelease(view.get(), Qt::LeftButton, {}, {120, 100});
    CHECK(ended.size() == 1);
    // The other way round: the mouse takes over from the keys.
    QTest::keyClick(view.get(), Qt::Key_Return);
    QTest::keyClick(view.get(), Qt::Key_Right);
    CHECK(began.size() == 2);
    QTest::mousePress(view.get(), Qt::LeftButton, {}, {300, 100});
    CHECK(ended.size() == 2);
    CHECK(began.size() == 3);
    QTest::mouseRelease(view.get(), Qt::LeftButton, {}, {310, 100});
    CHECK(ended.size() == 3);
    QTest::keyClick(view.get(), Qt::Key_Return);  // puts the brush down anew, and does not lift one
    CHECK(began.size() == 4);
}

TEST_CASE("Shift and the wheel step by whole notches, however finely a touchpad sends them", "[desktop]") {
    const auto view = view_with({800, 600});
    QSignalSpy stepped(view.get(), &PictureView::frames_stepped);
    const auto turn = [&](int delta) {
        QWheelEvent wheel({100, 100}, view->mapToGlobal(QPointF(100, 100)), {}, QPoint(0, delta),
                          Qt::NoButton, Qt::ShiftModifier, Qt::NoScrollPhase, false);
        QCoreApplication::sendEvent(view.get(), &wheel);
    };
    for (int i = 0; i < 29; ++i) turn(4);
    CHECK(stepped.isEmpty());
    turn(4);
    REQUIRE(stepped.size() == 1);
    CHECK(stepped[0][0].toInt() == 1);
    turn(-240);
    CHECK(stepped[1][0].toInt() == -2);
}

TEST_CASE("the curtain is drawn by keys, and what the caption says can be read aloud", "[desktop]") {
    const auto view = view_with({800, 600});
    view->set_other(even_picture({800, 600}, {30, 200, 30}), QStringLiteral("green"));
    view->set_curtain(true);
    const QColor right = colour_at(*view, {420, 300});
    for (int i = 0; i < 3; ++i) QTest::keyClick(view.get(), Qt::Key_Right, Qt::AltModifier);
    CHECK(colour_at(*view, {420, 300}) != right);
    for (int i = 0; i < 30; ++i) QTest::keyClick(view.get(), Qt::Key_Left, Qt::AltModifier);
    CHECK(colour_at(*view, {420, 300}) == right);  // at its end it stays
    view->set_caption(QStringLiteral("frame 3"));
    CHECK(view->accessibleDescription() == "frame 3");
}
