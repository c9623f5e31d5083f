// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QComboBox>
#include <QImage>
#include <QMouseEvent>
#include <QPushButton>
#include <QTest>
#include <catch2/catch.hpp>
#include <cmath>

#include "desktop/view/picture_view.h"
#include "desktop/view/row_list.h"

/// What a person does in a window, and what they see.
namespace moorhaze::test {

template <class Widget>
Widget* named(QWidget& in, const char* name) {
    auto* found = in.findChild<Widget*>(QString::fromLatin1(name));
    INFO(name);
    REQUIRE(found);
    return found;
}

/// Clicks as a person does: only what is visible and enabled.
inline void click(QPushButton* button) {
    REQUIRE(button->isVisible());
    REQUIRE(button->isEnabled());
    QTest::mouseClick(button, Qt::LeftButton);
}

/// Sets or takes away a row's mark, as the list does when the mark is clicked.
inline void tick(desktop::RowList& list, int row, bool ticked) {
    REQUIRE(row < list.count());
    REQUIRE(list.model()->setData(list.model()->index(row, 0), ticked ? Qt::Checked : Qt::Unchecked,
                                  Qt::CheckStateRole));
}

/// Drags in the picture between two of its places, with the moves that a hand makes.
inline void drag(desktop::PictureView& view, QPointF from, QPointF to, Qt::KeyboardModifiers modifiers = {}) {
    const QPoint start = view.to_widget(from).toPoint(), end = view.to_widget(to).toPoint();
    QTest::mousePress(&view, Qt::LeftButton, modifiers, start);
    for (int i = 1; i <= 4; ++i) {
        QMouseEvent move(QEvent::MouseMove, start + (end - start) * (i / 4.0),
                         view.mapToGlobal(start + (end - start) * (i / 4.0)), Qt::NoButton, Qt::LeftButton,
                         modifiers);
        QCoreApplication::sendEvent(&view, &move);
    }
    QTest::mouseRelease(&view, Qt::LeftButton, modifiers, end);
}

/// Takes an entry of a list as a person does with the keyboard.
inline void choose(QComboBox* choice, int index) {
    choice->setFocus();
    QTest::keyClick(choice, Qt::Key_Home);
    for (int i = 0; i < index; ++i) QTest::keyClick(choice, Qt::Key_Down);
}

/// Mean difference of two pictures of one size, in steps of green.
inline double mean_difference(const QImage& one, const QImage& other) {
    double sum = 0;
    for (int y = 0; y < one.height(); ++y)
        for (int x = 0; x < one.width(); ++x)
            sum += std::abs(qGreen(one.pixel(x, y)) - qGreen(other.pixel(x, y)));
    return sum / (double(one.width()) * one.height());
}

}  // namespace moorhaze::test
