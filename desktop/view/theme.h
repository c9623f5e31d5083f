// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QColor>
#include <QFont>
#include <QIcon>
#include <QString>

class QApplication;

namespace moorhaze::desktop {

/// The colours of a look. Text on ground, panel and well has a contrast of at least 4.5 : 1.
struct Theme {
    QColor ground, panel, well, raised, line, text, quiet;
    QColor heather, heather_light, on_heather;  ///< active, chosen, the usual next step
    QColor lichen;                              ///< done, found by Moorhaze
    QColor gorse;                               ///< warnings
    QColor rowan;                               ///< errors
    QColor surround;                            ///< around the picture; the same in every look
    bool dark = true;

    static const Theme& current();
};

/// Loads the fonts, sets style sheet and palette of the whole application.
void apply_theme(QApplication& application, bool dark);

/// Colour of a place in depth: 0 near (warm, light) to 1 far (cool, darker), even steps in lightness.
QColor depth_colour(double near_to_far);

/// The application's font at a size in px, tabular digits.
QFont theme_font(int pixels, bool strong = false);

/// An icon that ships with the application, in a colour.
QIcon theme_icon(const QString& name, const QColor& colour);
QPixmap theme_pixmap(const QString& name, const QColor& colour, int size, double device_ratio);

}  // namespace moorhaze::desktop
