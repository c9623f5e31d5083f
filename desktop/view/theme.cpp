// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/view/theme.h"

#include <QApplication>
#include <QFile>
#include <QFontDatabase>
#include <QPainter>
#include <QPalette>
#include <QStyleFactory>
#include <QSvgRenderer>
#include <algorithm>
#include <cmath>

#include "core/picture/display.h"

// Resources in a static library are dropped by the linker unless they are asked for, outside any namespace.
static void load_resources() {
    Q_INIT_RESOURCE(moorhaze);
}

namespace moorhaze::desktop {
namespace {

constexpr QRgb kSurround = qRgb(kSurroundGrey, kSurroundGrey, kSurroundGrey);

Theme dark_theme() {
    Theme theme;
    theme.ground = 0x1f2022, theme.panel = 0x2d2e31, theme.well = 0x26272a, theme.raised = 0x3a3c40,
    theme.line = 0x3d3f43;
    theme.text = 0xe6e6e8, theme.quiet = 0xa2a4aa;
    theme.heather = 0x7d5a96, theme.heather_light = 0xc3a3d8, theme.on_heather = 0xffffff;
    theme.lichen = 0xaebf5e, theme.gorse = 0xe0b23c, theme.rowan = 0xef8078;
    theme.surround = kSurround;
    return theme;
}

Theme light_theme() {
    Theme theme;
    theme.ground = 0xe4e4e6, theme.panel = 0xf0f0f1, theme.well = 0xe9e9eb, theme.raised = 0xdcdcdf,
    theme.line = 0xc9cace;
    theme.text = 0x1f2022, theme.quiet = 0x585a60;
    theme.heather = 0x7d5a96, theme.heather_light = 0x6d4a87, theme.on_heather = 0xffffff;
    theme.lichen = 0x5c6a14, theme.gorse = 0x7d5b00, theme.rowan = 0xb0342b;
    theme.surround = kSurround;
    theme.dark = false;
    return theme;
}

Theme& mutable_theme() {
    static Theme theme = dark_theme();
    return theme;
}

QString style_sheet(const Theme& theme) {
    QFile file(QStringLiteral(":/moorhaze.qss"));
    if (!file.open(QIODevice::ReadOnly)) return {};
    QString sheet = QString::fromUtf8(file.readAll());
    // Longer names first: @heather is the beginning of @heather-light.
    const std::pair<const char*, QColor> tokens[] = {{"@on-heather", theme.on_heather},
                                                     {"@heather-light", theme.heather_light},
                                                     {"@heather", theme.heather},
                                                     {"@ground", theme.ground},
                                                     {"@panel", theme.panel},
                                                     {"@well", theme.well},
                                                     {"@raised", theme.raised},
                                                     {"@line", theme.line},
                                                     {"@text", theme.text},
                                                     {"@quiet", theme.quiet},
                                                     {"@lichen", theme.lichen},
                                                     {"@gorse", theme.gorse},
                                                     {"@rowan", theme.rowan}};
    for (const auto& [name, colour] : tokens) sheet.replace(QLatin1String(name), colour.name());
    for (const int size : {11, 12, 16})
        sheet.replace(QStringLiteral("font-size: %1px").arg(size),
                      QStringLiteral("font-size: %1px").arg(with_text(size)));
    return sheet;
}

}  // namespace

const Theme& Theme::current() {
    return mutable_theme();
}

double text_scale_for(double desktop_points) {
    constexpr double kUsualPoints = 11, kMost = 1.5;
    return std::clamp(desktop_points / kUsualPoints, 1.0, kMost);
}

double text_scale() {
    // Asked before the application has a font of its own.
    static const double scale = text_scale_for(QApplication::font().pointSizeF());
    return scale;
}

int with_text(int pixels) {
    return int(std::lround(pixels * text_scale()));
}

QFont theme_font(int pixels, bool strong) {
    // Open Sans has digits of one width by default.
    QFont font(QStringLiteral("Open Sans"));
    font.setPixelSize(with_text(pixels));
    font.setWeight(strong ? QFont::DemiBold : QFont::Normal);
    return font;
}

void apply_theme(QApplication& application, bool dark) {
    static const bool fonts_loaded = [] {
        load_resources();
        for (const char* name : {":/fonts/OpenSans-Regular.ttf", ":/fonts/OpenSans-Semibold.ttf"})
            QFontDatabase::addApplicationFont(QLatin1String(name));
        return true;
    }();
    Q_UNUSED(fonts_loaded);
    text_scale();
    mutable_theme() = dark ? dark_theme() : light_theme();
    const Theme& theme = Theme::current();
    application.setStyle(QStyleFactory::create(QStringLiteral("Fusion")));
    application.setFont(theme_font(13));
    QPalette palette;
    palette.setColor(QPalette::Window, theme.panel);
    palette.setColor(QPalette::WindowText, theme.text);
    palette.setColor(QPalette::Base, theme.well);
    palette.setColor(QPalette::AlternateBase, theme.panel);
    palette.setColor(QPalette::Text, theme.text);
    palette.setColor(QPalette::PlaceholderText, theme.quiet);
    palette.setColor(QPalette::Button, theme.raised);
    palette.setColor(QPalette::ButtonText, theme.text);
    palette.setColor(QPalette::BrightText, theme.rowan);
    palette.setColor(QPalette::Highlight, theme.heather);
    palette.setColor(QPalette::HighlightedText, theme.on_heather);
    palette.setColor(QPalette::Link, theme.heather_light);
    palette.setColor(QPalette::ToolTipBase, theme.ground);
    palette.setColor(QPalette::ToolTipText, theme.text);
    for (const auto role : {QPalette::WindowText, QPalette::Text, QPalette::ButtonText})
        palette.setColor(QPalette::Disabled, role, theme.quiet);
    application.setPalette(palette);
    application.setStyleSheet(style_sheet(theme));
}

QColor depth_colour(double near_to_far) {
    // CIE L* about 84, 75, 67: a straight run of lightness from warm to cool.
    const QColor stops[] = {0xeecd96, 0xd8aebb, 0x97a4d9};
    const double place = std::clamp(near_to_far, 0.0, 1.0) * 2;
    const int below = std::min(int(place), 1);
    const double part = place - below;
    auto between = [&](double a, double b) { return int(a + (b - a) * part + 0.5); };
    const QColor &a = stops[below], &b = stops[below + 1];
    return {between(a.red(), b.red()), between(a.green(), b.green()), between(a.blue(), b.blue())};
}

QPixmap theme_pixmap(const QString& name, const QColor& colour, int size, double device_ratio) {
    QFile file(QStringLiteral(":/icons/%1.svg").arg(name));
    QPixmap pixmap(QSize(size, size) * device_ratio);
    pixmap.fill(Qt::transparent);
    if (file.open(QIODevice::ReadOnly)) {
        QByteArray svg = file.readAll();
        svg.replace("currentColor", colour.name().toLatin1());
        QSvgRenderer renderer(svg);
        QPainter painter(&pixmap);
        renderer.render(&painter);
    }
    pixmap.setDevicePixelRatio(device_ratio);
    return pixmap;
}

QIcon theme_icon(const QString& name, const QColor& colour) {
    QIcon icon;
    for (const double ratio : {1.0, 2.0}) icon.addPixmap(theme_pixmap(name, colour, 18, ratio));
    return icon;
}

}  // namespace moorhaze::desktop
