#include <QAction>
#include <QApplication>
#include <QCommandLineParser>
#include <QSettings>
#include <QStandardPaths>
#include <algorithm>
#include <cstdio>
#include <memory>

#include "desktop/script.h"
#include "desktop/tray/plan_tray.h"
#include "desktop/view/main_window.h"
#include "desktop/view/picture_view.h"
#include "desktop/view/theme.h"

namespace {

using moorhaze::desktop::MainWindow;
using moorhaze::desktop::Script;
using moorhaze::desktop::Stage;

QPointF place_of(const QString& text) {
    const auto parts = text.split(',');
    return {parts.value(0).toDouble(), parts.value(1).toDouble()};
}

/// What is wrong with names that were typed; empty if nothing is.
QString wrong_use(const QString& method, const QString& ahead, const QString& demo) {
    for (const QString& name : {method, ahead}) try {
            if (!name.isEmpty()) moorhaze::merge_method(name.toStdString());
        } catch (const moorhaze::BadParameter& error) {
            return QString::fromUtf8(error.what());
        }
    const QStringList demos = MainWindow::demo_names();
    if (!demo.isEmpty() && !demos.contains(demo))
        return QStringLiteral("there is no demo series '%1'. There are: %2.")
            .arg(demo, demos.join(QStringLiteral(", ")));
    return {};
}

}  // namespace

int main(int argc, char** argv) {
    QCommandLineParser parser;
    parser.setApplicationDescription(
        QStringLiteral("Moorhaze merges focus-bracketed series of close-up pictures."));
    parser.addHelpOption();
    parser.addVersionOption();
    parser.addPositionalArgument(QStringLiteral("frames"),
                                 QStringLiteral("A folder, or the frames of one series."));
    auto option = [&](const char* name, const char* what, const char* value = nullptr) {
        const QCommandLineOption made(QString::fromLatin1(name), QString::fromLatin1(what),
                                      QString::fromLatin1(value ? value : ""));
        parser.addOption(made);
        return QString::fromLatin1(name);
    };
    const QString demo = option("demo", "Open a series that comes with Moorhaze.", "name");
    const QString light = option("light", "The light look.");
    const QString size = option("size", "Size of the window.", "WxH");
    const QString stage = option("stage", "Go to a stage, 1 to 6.", "number");
    const QString page = option("page", "Page of Plan: numbers, shoot or bring-in.", "name");
    const QString bench = option("bench", "Connect the simulated devices before a scene.", "scene");
    const QString mishaps = option("mishaps", "Something goes wrong at a few frames of the shoot.");
    const QString marks = option("marks", "Mark near and far on the bench, in mm.", "near,far");
    const QString drive = option("drive", "Drive the plane of focus, in mm.", "mm");
    const QString shoot = option("shoot", "Shoot into a new folder.", "folder");
    const QString until = option("until", "Pause the shoot after so many frames.", "number");
    const QString merge = option("merge", "Align and merge.");
    const QString method = option("method", "Method of the merge.", "name");
    const QString ahead = option("ahead", "Look ahead with another method, after the merge.", "name");
    const QString frame = option("frame", "Show a frame.", "number");
    const QString zoom = option("zoom", "Zoom in percent, around --point if given.", "percent");
    const QString point = option("point", "Point at a place of the picture.", "x,y");
    const QString mark = option("mark-sharp", "Mark what is sharp.");
    const QString quick = option("quick", "Show the quick merge of the range.");
    const QString keep = option("keep", "Keep what lies along a line.", "x,y,x,y");
    const QString in_order = option("order", "Put the frames in order.");
    const QString look = option("look", "Show the result's floor, depth or source.", "name");
    const QString keys = option("keys", "Press keys of the menus, one after the other.", "C,T,...");
    const QString draw =
        option("draw", "Draw in along a line, from the sharpest frame at its beginning.", "x,y,x,y");
    const QString save = option("save", "Export the result, and end.", "file");
    const QString snapshot = option("snapshot", "Save a picture of the window, and end.", "file.png");
    // Help, version and wrong use need no display. What is not known here may be an option of Qt's.
    QStringList words;
    for (int i = 0; i < argc; ++i) words << QString::fromLocal8Bit(argv[i]);
    parser.parse(words);
    if (const QString why = wrong_use(parser.value(method), parser.value(ahead), parser.value(demo));
        !why.isEmpty()) {
        std::fprintf(stderr, "moorhaze: %s\n", qPrintable(why));
        return 2;
    }
    const bool only_words = parser.isSet(QStringLiteral("help")) || parser.isSet(QStringLiteral("version"));
    const std::unique_ptr<QCoreApplication> application = only_words
                                                              ? std::make_unique<QCoreApplication>(argc, argv)
                                                              : std::make_unique<QApplication>(argc, argv);
    QCoreApplication::setOrganizationName(QStringLiteral("moorhaze"));
    QCoreApplication::setApplicationName(QStringLiteral("Moorhaze"));
    QCoreApplication::setApplicationVersion(QStringLiteral(MOORHAZE_VERSION));
    parser.process(*application);
    moorhaze::desktop::apply_theme(static_cast<QApplication&>(*application), !parser.isSet(light));

    QSettings settings;
    MainWindow window;
    // A picture of the window is always of the same size.
    if (!parser.isSet(snapshot) && !parser.isSet(save)) window.remember_place_in(&settings);
    moorhaze::desktop::Session& session = window.session();
    const QString kept = QStandardPaths::writableLocation(QStandardPaths::CacheLocation);
    if (!kept.isEmpty()) session.looking.set_folder((kept + "/looks").toStdString());
    if (parser.isSet(size)) {
        const auto sides = parser.value(size).split('x');
        window.resize(sides.value(0).toInt(), sides.value(1).toInt());
    }
    window.show();
    if (parser.isSet(demo)) {
        if (!window.open_demo(parser.value(demo)) && (parser.isSet(snapshot) || parser.isSet(save))) return 1;
    } else if (!parser.positionalArguments().isEmpty()) {
        window.open_paths(parser.positionalArguments());
    }

    Script::Steps steps;
    std::unique_ptr<Script> script;
    auto set_method = [&](const QString& name) {
        moorhaze::MergeChoice choice = session.merging.choice();
        choice.method = name.toStdString();
        session.merging.set_choice(choice, QStringLiteral("method"));
    };
    auto on = [&](const QString& name, auto step) {
        if (parser.isSet(name)) steps.emplace_back(step);
    };
    on(page, [&] {
        session.standpoint.set_stage(Stage::plan);
        const QString name = parser.value(page);
        using Plan = moorhaze::desktop::PlanTray;
        window.plan_tray().show_page(name == "numbers" ? Plan::numbers
                                     : name == "shoot" ? Plan::shoot
                                                       : Plan::bring_in);
    });
    auto& desk = session.shoot_desk;
    on(bench, [&] {
        moorhaze::rig::BenchSettings devices;
        devices.scene = parser.value(bench).toStdString();
        if (parser.isSet(mishaps)) devices.faults = moorhaze::desktop::ShootDesk::practice_mishaps();
        desk.connect_devices(devices);
    });
    on(marks, [&] { desk.set_marks(place_of(parser.value(marks)).x(), place_of(parser.value(marks)).y()); });
    on(drive, [&] { desk.drive_to(parser.value(drive).toDouble()); });
    on(shoot, [&] {
        QObject::connect(&desk, &moorhaze::desktop::ShootDesk::progress_changed, &desk, [&] {
            if (parser.isSet(until) && desk.shot() >= parser.value(until).toInt()) desk.pause();
        });
        desk.start(parser.value(shoot));
    });
    on(method, [&] { set_method(parser.value(method)); });
    on(frame, [&] { session.standpoint.set_place(parser.value(frame).toInt() - 1); });
    on(merge, [&] { session.merging.merge(); });
    on(stage,
       [&] { session.standpoint.set_stage(Stage(std::clamp(parser.value(stage).toInt(), 1, 6) - 1)); });
    on(frame, [&] { session.standpoint.set_place(parser.value(frame).toInt() - 1); });
    on(mark, [&] { session.standpoint.set_sharp_marks(true); });
    on(in_order, [&] { session.culling.put_in_order(); });
    on(keep, [&] {
        const auto numbers = parser.value(keep).split(',');
        const QPointF from(numbers.value(0).toDouble(), numbers.value(1).toDouble()),
            to(numbers.value(2).toDouble(), numbers.value(3).toDouble());
        QList<QPointF> places;
        for (int i = 0; i <= 20; ++i) places << from + (to - from) * (i / 20.0);
        emit window.picture_view().line_drawn(places);
    });
    on(quick, [&] { session.standpoint.set_quick_look(true); });
    if (parser.isSet(keys))
        for (const QString& key : parser.value(keys).split(','))
            steps.emplace_back([&window, key] {
                for (QAction* action : window.actions())
                    if (action->shortcut() == QKeySequence(key)) action->trigger();
            });
    on(look, [&] {
        using moorhaze::desktop::LookAt;
        const QString name = parser.value(look);
        session.standpoint.set_look(name == "floor"    ? LookAt::below_floor
                                    : name == "depth"  ? LookAt::depth
                                    : name == "source" ? LookAt::source
                                    : name == "made"   ? LookAt::made_by
                                                       : LookAt::picture);
    });
    on(zoom, [&] {
        auto& view = window.picture_view();
        if (parser.isSet(point)) {
            view.set_zoom(parser.value(zoom).toDouble() / 100, view.to_widget(place_of(parser.value(point))));
        } else {
            view.set_zoom(parser.value(zoom).toDouble() / 100);
        }
    });
    on(ahead, [&] { set_method(parser.value(ahead)); });
    on(point, [&] { window.point_at(place_of(parser.value(point)), true); });
    if (parser.isSet(draw)) {
        const auto numbers = parser.value(draw).split(',');
        const QPointF from(numbers.value(0).toDouble(), numbers.value(1).toDouble()),
            to(numbers.value(2).toDouble(), numbers.value(3).toDouble());
        steps.emplace_back([&window, from] { window.point_at(from, true); });
        steps.emplace_back([&window, from, to] {
            auto& brushwork = window.session().brushwork;
            brushwork.begin_stroke(from);
            for (int i = 1; i <= 20; ++i) brushwork.continue_stroke(from + (to - from) * (i / 20.0));
            brushwork.end_stroke();
        });
    }
    if (parser.isSet(save)) {
        steps.emplace_back([&] {
            const QString file = parser.value(save);
            const auto& kinds = moorhaze::desktop::export_kinds();
            const auto kind = std::find_if(kinds.begin(), kinds.end(),
                                           [&](const auto& k) { return file.endsWith(k.ending); });
            session.exporter.save(file, kind == kinds.end() ? kinds[0] : *kind, 95, true);
        });
    }
    if (parser.isSet(snapshot)) {
        steps.emplace_back([&] {
            if (!window.grab().save(parser.value(snapshot)))
                script->fail(QStringLiteral("%1: cannot be written").arg(parser.value(snapshot)));
        });
    }
    if (parser.isSet(save) || parser.isSet(snapshot))
        script = std::make_unique<Script>(window, std::move(steps));
    return QApplication::exec();
}
