// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/view/depth_line.h"

#include <QSignalSpy>
#include <QTest>
#include <QWheelEvent>
#include <catch2/catch.hpp>

using namespace moorhaze::desktop;

namespace {

std::unique_ptr<DepthLine> line_with(int frames, int height = 700) {
    auto line = std::make_unique<DepthLine>();
    line->resize(104, height);
    line->set_ticks(std::vector<DepthTick>(std::size_t(frames), DepthTick{true, 0.05, {}}));
    line->set_range(0, frames - 1);
    line->show();
    return line;
}

}  // namespace

TEST_CASE("near is at the bottom, far at the top", "[desktop]") {
    const auto line = line_with(20);
    for (int i = 1; i < 20; ++i) CHECK(line->y_of(i) < line->y_of(i - 1));
    for (int i = 0; i < 20; ++i) CHECK(line->frame_at(line->y_of(i)) == i);
}

TEST_CASE("a click on a tick chooses its frame, a double click toggles it", "[desktop]") {
    const auto line = line_with(20);
    QSignalSpy chosen(line.get(), &DepthLine::frame_chosen), toggled(line.get(), &DepthLine::use_toggled);
    QTest::mouseClick(line.get(), Qt::LeftButton, {}, QPoint(40, int(line->y_of(13))));
    REQUIRE(chosen.size() == 1);
    CHECK(chosen[0][0].toInt() == 13);
    QTest::mouseDClick(line.get(), Qt::LeftButton, {}, QPoint(40, int(line->y_of(4))));
    REQUIRE(toggled.size() == 1);
    CHECK(toggled[0][0].toInt() == 4);
}

TEST_CASE("dragging the handles sets the range", "[desktop]") {
    const auto line = line_with(20);
    QSignalSpy done(line.get(), &DepthLine::range_chosen);
    QObject::connect(line.get(), &DepthLine::range_dragged, line.get(), &DepthLine::set_range);
    QTest::mousePress(line.get(), Qt::LeftButton, {}, line->handle_rect(true).center().toPoint());
    QTest::mouseMove(line.get(), QPoint(95, int(line->y_of(15.5))));
    QTest::mouseRelease(line.get(), Qt::LeftButton, {}, QPoint(95, int(line->y_of(15.5))));
    REQUIRE(done.size() == 1);
    CHECK(done[0][0].toInt() == 0);
    CHECK(done[0][1].toInt() == 15);
    QTest::mousePress(line.get(), Qt::LeftButton, {}, line->handle_rect(false).center().toPoint());
    QTest::mouseMove(line.get(), QPoint(95, int(line->y_of(3.5))));
    QTest::mouseRelease(line.get(), Qt::LeftButton, {}, QPoint(95, int(line->y_of(3.5))));
    REQUIRE(done.size() == 2);
    CHECK(done[1][0].toInt() == 4);
    CHECK(done[1][1].toInt() == 15);
}

TEST_CASE("the near handle cannot pass the far one", "[desktop]") {
    const auto line = line_with(10);
    QSignalSpy done(line.get(), &DepthLine::range_chosen);
    QObject::connect(line.get(), &DepthLine::range_dragged, line.get(), &DepthLine::set_range);
    line->set_range(2, 5);
    QTest::mousePress(line.get(), Qt::LeftButton, {}, line->handle_rect(false).center().toPoint());
    QTest::mouseMove(line.get(), QPoint(95, 10));
    QTest::mouseRelease(line.get(), Qt::LeftButton, {}, QPoint(95, 10));
    REQUIRE(done.size() == 1);
    CHECK(done[0][0].toInt() == 5);
    CHECK(done[0][1].toInt() == 5);
}

TEST_CASE("keys and wheel step through the frames and stop at the ends", "[desktop]") {
    const auto line = line_with(3);
    QObject::connect(line.get(), &DepthLine::frame_chosen, line.get(), &DepthLine::set_current);
    QSignalSpy chosen(line.get(), &DepthLine::frame_chosen);
    for (int i = 0; i < 4; ++i) QTest::keyClick(line.get(), Qt::Key_Up);
    CHECK(chosen.back()[0].toInt() == 2);
    QTest::keyClick(line.get(), Qt::Key_Home);
    CHECK(chosen.back()[0].toInt() == 0);
    QWheelEvent wheel(QPointF(40, 300), line->mapToGlobal(QPointF(40, 300)), {}, QPoint(0, 120), Qt::NoButton,
                      {}, Qt::NoScrollPhase, false);
    QCoreApplication::sendEvent(line.get(), &wheel);
    CHECK(chosen.back()[0].toInt() == 1);
}

TEST_CASE("where frames stand close the line opens up around the pointer and keeps their order",
          "[desktop]") {
    const auto line = line_with(150, 600);
    const double usual = line->y_of(74) - line->y_of(75);
    const QPoint at(50, int(line->y_of(75)));
    QTest::mouseMove(line.get(), at);
    CHECK(line->y_of(74) - line->y_of(75) > 2 * usual);
    for (int i = 1; i < 150; ++i) CHECK(line->y_of(i) < line->y_of(i - 1));
    CHECK(line->frame_at(at.y()) == 75);
}

TEST_CASE("a line without frames and one with a single frame take every event", "[desktop]") {
    for (const int frames : {0, 1}) {
        const auto line = line_with(frames);
        QTest::mouseClick(line.get(), Qt::LeftButton, {}, QPoint(40, 300));
        QTest::mouseDClick(line.get(), Qt::LeftButton, {}, QPoint(40, 300));
        for (const auto key : {Qt::Key_Up, Qt::Key_Down, Qt::Key_Home, Qt::Key_End})
            QTest::keyClick(line.get(), key);
        CHECK_FALSE(line->grab().isNull());
    }
}
