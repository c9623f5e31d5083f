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

/// How much larger than usual text is, by the size of text that the person chose for the desktop: 1 to 1.5.
double text_scale();
/// @param desktop_points  the size of the desktop's own font. Up to 11 is usual (common practice).
double text_scale_for(double desktop_points);
/// A length that grows with the text, px.
int with_text(int pixels);

/// The application's font at a size in px where text has its usual size; tabular digits.
QFont theme_font(int pixels, bool strong = false);

/// An icon that ships with the application, in a colour.
QIcon theme_icon(const QString& name, const QColor& colour);
QPixmap theme_pixmap(const QString& name, const QColor& colour, int size, double device_ratio);

}  // namespace moorhaze::desktop
