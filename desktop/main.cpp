// SPDX-License-Identifier: GPL-3.0-or-later
#include <QApplication>
#include <QCommandLineParser>
#include <QFile>
#include <QSettings>
#include <QStandardPaths>
#include <cstdio>
#include <memory>
#include <optional>

#include "desktop/script.h"
#include "desktop/session/work/screen_profile.h"
#include "desktop/view/application.h"
#include "desktop/view/main_window.h"
#include "desktop/view/theme.h"

namespace {

using moorhaze::desktop::MainWindow;
using moorhaze::desktop::Script;

int refuse_option(const QString& why) {
    std::fprintf(stderr, "moorhaze: %s\n", qPrintable(why));
    return 2;
}

/// A file, or standard input for "-". @throws FileError.
QString text_of(const QString& name) {
    QFile file(name);
    const bool opened = name == "-" ? file.open(stdin, QIODevice::ReadOnly) : file.open(QIODevice::ReadOnly);
    if (!opened)
        throw moorhaze::FileError(name.toStdString() + ": cannot be read (" +
                                  file.errorString().toStdString() + ")");
    return QString::fromUtf8(file.readAll());
}

}  // namespace

int main(int argc, char** argv) {
    QCommandLineParser parser;
    parser.setApplicationDescription(
        QStringLiteral(
            "Moorhaze merges focus-bracketed series of close-up pictures.\n\nLines of a script:\n") +
        Script::usage());
    parser.addHelpOption();
    parser.addVersionOption();
    parser.addPositionalArgument(QStringLiteral("frames"),
                                 QStringLiteral("A project, a folder, or the frames of one series."));
    const QCommandLineOption demo(QStringLiteral("demo"),
                                  QStringLiteral("Open a series that comes with Moorhaze."),
                                  QStringLiteral("name")),
        light(QStringLiteral("light"), QStringLiteral("The light look.")),
        size(QStringLiteral("size"), QStringLiteral("Size of the window."), QStringLiteral("WxH")),
        script_file(QStringLiteral("script"),
                    QStringLiteral("Do what a file says line by line; - for standard input."),
                    QStringLiteral("file"));
    parser.addOptions({demo, light, size, script_file});
    // Help, version and wrong use need no display. What is not known here may be an option of Qt's.
    QStringList words;
    for (int i = 0; i < argc; ++i) words << QString::fromLocal8Bit(argv[i]);
    parser.parse(words);
    const QStringList demos = MainWindow::demo_names();
    if (parser.isSet(demo) && !demos.contains(parser.value(demo)))
        return refuse_option(QStringLiteral("there is no demo series '%1'. There are: %2.")
                                 .arg(parser.value(demo), demos.join(QStringLiteral(", "))));
    std::vector<Script::Line> lines;
    if (parser.isSet(script_file)) try {
            lines = Script::read(text_of(parser.value(script_file)));
        } catch (const moorhaze::Error& error) {
            return refuse_option(QString::fromUtf8(error.what()));
        }
    const bool only_words = parser.isSet(QStringLiteral("help")) || parser.isSet(QStringLiteral("version"));
    const std::unique_ptr<QCoreApplication> application =
        only_words ? std::make_unique<QCoreApplication>(argc, argv)
                   : std::make_unique<moorhaze::desktop::Application>(argc, argv);
    QCoreApplication::setOrganizationName(QStringLiteral("moorhaze"));
    QCoreApplication::setApplicationName(QStringLiteral("Moorhaze"));
    QCoreApplication::setApplicationVersion(QStringLiteral(MOORHAZE_VERSION));
    parser.process(*application);
    moorhaze::desktop::set_screen_profile(moorhaze::desktop::profile_of_desktop());
    QSettings settings;
    const bool is_light = parser.isSet(light) || settings.value(QStringLiteral("look/light")).toBool();
    moorhaze::desktop::apply_theme(static_cast<QApplication&>(*application), !is_light);

    MainWindow window;
    window.remember_in(&settings);
    moorhaze::desktop::Session& session = window.session();
    static_cast<moorhaze::desktop::Application&>(*application)
        .when_something_escapes([&session](const QString& why) {
            session.notices.notify_error(
                QCoreApplication::translate("Application", "That did not work: %1. Nothing was lost.")
                    .arg(why));
        });
    const QString kept = QStandardPaths::writableLocation(QStandardPaths::CacheLocation);
    if (!kept.isEmpty()) session.looking.set_folder((kept + "/looks").toStdString());
    const QString data = QStandardPaths::writableLocation(QStandardPaths::GenericDataLocation);
    if (!data.isEmpty()) session.autosave.set_folder((data + "/moorhaze/unsaved").toStdString());
    // A script finds the window as large as it is by itself.
    if (!parser.isSet(script_file)) window.take_remembered_place();
    if (parser.isSet(size)) {
        const auto sides = parser.value(size).split('x');
        window.resize(sides.value(0).toInt(), sides.value(1).toInt());
    }
    window.show();
    if (parser.isSet(demo)) {
        if (!window.open_demo(parser.value(demo)) && parser.isSet(script_file)) return 1;
    } else if (!parser.positionalArguments().isEmpty()) {
        window.open_paths(parser.positionalArguments());
    }
    std::optional<Script> script;
    if (parser.isSet(script_file)) script.emplace(window, std::move(lines));
    return QApplication::exec();
}
