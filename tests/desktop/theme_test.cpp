// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/view/theme.h"

#include <QApplication>
#include <QFontInfo>
#include <QFontMetrics>
#include <catch2/catch.hpp>
#include <cmath>

using namespace moorhaze::desktop;

namespace {

double light_of(const QColor& colour) {
    // Relative luminance of sRGB: WCAG 2.1, "relative luminance".
    auto linear = [](double v) { return v <= 0.04045 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4); };
    return 0.2126 * linear(colour.redF()) + 0.7152 * linear(colour.greenF()) +
           0.0722 * linear(colour.blueF());
}

double contrast(const QColor& one, const QColor& other) {
    const double a = light_of(one), b = light_of(other);
    return (std::max(a, b) + 0.05) / (std::min(a, b) + 0.05);
}

/// CIE 1976 lightness.
double lightness(const QColor& colour) {
    const double y = light_of(colour);
    return y > 0.008856 ? 116 * std::cbrt(y) - 16 : 903.3 * y;
}

}  // namespace

TEST_CASE("text stands out by at least 4.5 to 1 in both looks", "[desktop]") {
    for (const bool dark : {false, true}) {
        apply_theme(*qApp, dark);
        const Theme& theme = Theme::current();
        for (const QColor& ground : {theme.ground, theme.panel, theme.well})
            for (const QColor& text :
                 {theme.text, theme.quiet, theme.gorse, theme.rowan, theme.heather_light}) {
                INFO((dark ? "dark " : "light ")
                     << text.name().toStdString() << " on " << ground.name().toStdString());
                CHECK(contrast(text, ground) >= 4.5);
            }
        CHECK(contrast(theme.on_heather, theme.heather) >= 4.5);
        CHECK(contrast(theme.text, theme.raised) >= 4.5);
    }
}

TEST_CASE("depth colours fall evenly in lightness and the far end stays readable", "[desktop]") {
    apply_theme(*qApp, true);
    const double near = lightness(depth_colour(0)), middle = lightness(depth_colour(0.5)),
                 far = lightness(depth_colour(1));
    CHECK(near - middle == Approx(middle - far).margin(3));
    for (int i = 1; i <= 50; ++i)
        CHECK(lightness(depth_colour(i / 50.0)) <= lightness(depth_colour((i - 1) / 50.0)) + 0.6);
    CHECK(far >= lightness(Theme::current().quiet));
    CHECK(depth_colour(0).red() > depth_colour(0).blue());
    CHECK(depth_colour(1).blue() > depth_colour(1).red());
}

TEST_CASE("the shipped font is used and its digits have one width", "[desktop]") {
    const QFont font = theme_font(13);
    CHECK(QFontInfo(font).family() == "Open Sans");
    const QFontMetricsF metrics(font);
    for (const char digit : std::string("023456789"))
        CHECK(metrics.horizontalAdvance(QLatin1Char(digit)) == metrics.horizontalAdvance(QLatin1Char('1')));
}

TEST_CASE("every icon that is asked for ships", "[desktop]") {
    for (const char* name : {"x", "info", "circle-alert"}) {
        const QImage image = theme_pixmap(QLatin1String(name), Qt::white, 18, 1).toImage();
        bool any = false;
        for (int y = 0; y < 18; ++y)
            for (int x = 0; x < 18; ++x) any = any || qAlpha(image.pixel(x, y)) > 100;
        CHECK(any);
    }
}

TEST_CASE("text grows with the desktop's own, up to half as large again", "[desktop]") {
    // Common practice: desktops come with 9 to 11 points.
    for (const double usual : {8.0, 9.0, 10.0, 11.0}) CHECK(text_scale_for(usual) == 1);
    CHECK(text_scale_for(14) == Approx(14.0 / 11));
    CHECK(text_scale_for(40) == 1.5);
    CHECK(theme_font(11).pixelSize() == with_text(11));
}
