// SPDX-License-Identifier: GPL-3.0-or-later
// How long the interface's thread is held up, event by event, in a journey from opening to handing over. The
// worst ten are printed with what was going on. Usage: moorhaze-waiting-benchmark FOLDER    frames of 24
// megapixels, say
#include <QMetaObject>
#include <QTest>
#include <QTimer>
#include <algorithm>
#include <chrono>
#include <cstdio>
#include <filesystem>
#include <functional>
#include <string>
#include <vector>

#include "desktop/view/application.h"
#include "desktop/view/main_window.h"
#include "desktop/view/picture_view.h"
#include "desktop/view/theme.h"

using namespace moorhaze;
using namespace moorhaze::desktop;
namespace fs = std::filesystem;

namespace {

struct Held {
    double ms = 0;
    std::string step, receiver;
    int event = 0;
};

/// Times each event that the loop hands out; those within another count with it.
class TimedApplication : public Application {
  public:
    using Application::Application;
    bool notify(QObject* receiver, QEvent* event) override {
        if (depth_ > 0) return Application::notify(receiver, event);
        // The receiver may be gone afterwards.
        Held own{0, step, receiver->metaObject()->className(), int(event->type())};
        const auto begin = std::chrono::steady_clock::now();
        ++depth_;
        const bool taken = Application::notify(receiver, event);
        --depth_;
        own.ms = std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - begin).count();
        all.push_back(own);
        return taken;
    }
    std::string step = "start";
    std::vector<Held> all;

  private:
    int depth_ = 0;
};

}  // namespace

int main(int argc, char** argv) {
    if (argc != 2) {
        std::fprintf(stderr, "usage: moorhaze-waiting-benchmark FOLDER\n");
        return 2;
    }
    if (!qEnvironmentVariableIsSet("QT_QPA_PLATFORM")) qputenv("QT_QPA_PLATFORM", "offscreen");
    TimedApplication application(argc, argv);
    apply_theme(application, true);
    const fs::path scratch = fs::temp_directory_path() / ("moorhaze-waiting-" + std::to_string(::getpid()));
    fs::create_directories(scratch);
    {
        MainWindow main;
        Session& session = main.session();
        session.autosave.set_folder(scratch / "unsaved");
        main.resize(1280, 800);
        main.show();
        const auto settle = [&] {
            int quiet = 0;
            while (quiet < 5) {
                QTest::qWait(5);
                quiet = main.is_settled() ? quiet + 1 : 0;
            }
        };
        const auto at = [&](const char* step) { application.step = step; };
        // As an event, so that it is timed like what a person does.
        const auto act = [&](const std::function<void()>& deed) {
            bool done = false;
            QTimer::singleShot(0, &main, [&] {
                deed();
                done = true;
            });
            while (!done) QTest::qWait(1);
        };
        const auto click = [&](double across, double down, Qt::MouseButton button) {
            PictureView& view = main.picture_view();
            QTest::mouseClick(&view, button, {},
                              QPoint(int(view.width() * across), int(view.height() * down)));
        };
        at("open");
        act([&] { main.open_paths({QString::fromStdString(fs::path(argv[1]).string())}); });
        QTest::qWait(50);
        settle();
        at("cull");
        act([&] { session.standpoint.set_stage(Stage::cull); });
        for (int i = 0; i < session.document.series().count(); ++i) {
            act([&] { session.standpoint.set_place(i); });
            QTest::qWait(20);
        }
        click(0.4, 0.5, Qt::LeftButton);
        act([&] { session.standpoint.set_quick_look(true); });
        act([&] { session.culling.set_range({1, session.document.series().count() - 2}); });
        settle();
        at("align and merge");
        act([&] { session.merging.merge(); });
        QTest::qWait(50);
        settle();
        at("look at depth");
        act([&] { session.standpoint.set_look(LookAt::depth); });
        settle();
        act([&] { session.standpoint.set_look(LookAt::picture); });
        at("mend");
        act([&] { session.standpoint.set_stage(Stage::mend); });
        settle();
        for (int i = 0; i < 3; ++i) {
            act([&] { session.snag_walk.next(); });
            settle();
        }
        at("paint");
        for (int i = 0; i < 5; ++i) {
            const cv::Size size = session.document.series().size();
            act([&] { session.brushwork.begin_stroke({size.width * 0.4, size.height * (0.3 + 0.05 * i)}); });
            for (int k = 1; k < 20; ++k) {
                act([&] {
                    session.brushwork.continue_stroke(
                        {size.width * 0.4 + 8 * k, size.height * (0.3 + 0.05 * i)});
                });
                QTest::qWait(5);
            }
            act([&] { session.brushwork.end_stroke(); });
        }
        settle();
        at("finish");
        act([&] { session.standpoint.set_stage(Stage::finish); });
        settle();
        for (int i = 1; i <= 20; ++i) {
            act([&] {
                session.finishing.change(
                    QStringLiteral("light"), [i](Finish& finish) { finish.light.exposure_ev = 0.02 * i; },
                    QStringLiteral("light"));
            });
            QTest::qWait(15);
        }
        settle();
        at("hand over");
        act([&] {
            session.exporter.save(QString::fromStdString((scratch / "picture.tif").string()), Output{}, true);
        });
        QTest::qWait(50);
        settle();
        at("undo of all");
        while (session.document.history().can_undo()) {
            act([&] { session.document.undo(); });
            QTest::qWait(5);
        }
        settle();
        at("close");
        main.close();
        while (main.isVisible()) QTest::qWait(5);
    }
    std::sort(application.all.begin(), application.all.end(),
              [](const Held& one, const Held& other) { return one.ms > other.ms; });
    std::printf("%zu events, %zu of them over 50 ms; the worst:\n", application.all.size(),
                std::size_t(std::count_if(application.all.begin(), application.all.end(),
                                          [](const Held& own) { return own.ms > 50; })));
    for (std::size_t i = 0; i < std::min<std::size_t>(10, application.all.size()); ++i)
        std::printf("%7.1f ms  %-16s  %s, event %d\n", application.all[i].ms, application.all[i].step.c_str(),
                    application.all[i].receiver.c_str(), application.all[i].event);
    std::error_code ignored;
    fs::remove_all(scratch, ignored);
}
