// SPDX-License-Identifier: GPL-3.0-or-later
// Whatever is done in whatever order, with work in flight: nothing crashes, nothing is lost.
// MOORHAZE_MONKEY_STEPS and MOORHAZE_MONKEY_SEED make the walk longer or another; under sanitizers 20,000
// steps are common.
#include <QAction>
#include <QDialog>
#include <QTimer>
#include <cstdlib>
#include <iostream>
#include <random>

#include "core/project/project_folder.h"
#include "desktop/view/commands.h"
#include "desktop/view/picture_view.h"
#include "tests/desktop/acting.h"
#include "tests/desktop/strips.h"

using namespace moorhaze;
using namespace moorhaze::desktop;
using test::StripSession;
using test::wait_until;

namespace {

int number_from(const char* variable, int otherwise) {
    const char* text = std::getenv(variable);
    return text ? std::atoi(text) : otherwise;
}

/// Closes whatever asks: a person in a hurry, who answers no.
struct ClosesDialogs {
    QTimer timer;
    ClosesDialogs() {
        QObject::connect(&timer, &QTimer::timeout, qApp, [] {
            if (auto* dialog = qobject_cast<QDialog*>(QApplication::activeModalWidget())) dialog->reject();
        });
        timer.start(5);
    }
};

/// One series of strips, another of edges; what is done to them in a window.
class Monkey {
  public:
    Monkey(unsigned seed, const test::Scratch& scratch) : random_(seed), scratch_(scratch) {
        test::write_series(edges_, test::edge_series({200, 120}, 5));
        main.session().autosave.set_folder(scratch_ / "unsaved");
        main.resize(1100, 700);
        main.show();
        open(StripSession::files().folder());
        // Leaving, and what only waits for a person.
        for (const char* id : {"quit", "open-demo"}) left_out_ << QLatin1String(id);
    }

    void step() {
        Session& s = main.session();
        switch (pick(23)) {
            case 22:
                return about_the_set();
            case 0:
            case 1:
            case 2:
            case 3:
            case 4:
            case 5:
                return command();
            case 6:
                return s.standpoint.set_stage(Stage(pick(kStageCount)));
            case 7:
                return s.standpoint.set_place(pick(6));
            case 8:
                return stroke();
            case 9:
                return press(Qt::LeftButton);
            case 10:
                return press(Qt::RightButton);
            case 11: {
                MergeChoice choice = s.merging.choice();
                choice.method = merge_methods()[std::size_t(pick(int(merge_methods().size())))].name;
                choice.settings.trust_floor = pick(10) / 10.0;
                return s.merging.set_choice(choice, QStringLiteral("method"));
            }
            case 12:
                s.merging.merge();
                // Often it is waited for, as a person would.
                if (pick(4) != 0) wait_until([&] { return !s.jobs.busy(); });
                return;
            case 13:
                return s.finishing.change(
                    QStringLiteral("light"),
                    [this](Finish& finish) {
                        finish.light.exposure_ev = pick(20) / 10.0 - 1;
                        finish.framing.turn_deg = pick(3) == 0 ? pick(10) - 5 : 0;
                    },
                    QStringLiteral("light"));
            case 14:
                return s.document.undo();
            case 15:
                return s.document.redo();
            case 16:
                if (s.document.has_series())
                    s.culling.set_used(s.document.id_at(pick(s.document.series().count())), pick(2));
                return;
            case 17:
                if (!s.document.project().results.empty())
                    s.standpoint.set_result(
                        s.document.project().results[pick(s.document.project().results.size())].id);
                return;
            case 18:
                return s.standpoint.set_look(LookAt(pick(5)));
            case 19: {
                Brush brush = s.standpoint.brush();
                brush.tool = MendTool(pick(6));
                brush.radius_px = 2 + pick(20);
                return s.standpoint.set_brush(brush);
            }
            case 20:
                if (pick(4) == 0) s.jobs.cancel();
                return;
            default:
                if (!s.document.has_series() || pick(40) == 0)
                    open(pick(2) ? edges_.folder() : StripSession::files().folder());
        }
    }
    void settle() { test::settle(main); }
    int pick(int below) { return int(random_() % unsigned(below)); }

    MainWindow main;

  private:
    void open(const std::filesystem::path& folder) {
        main.open_paths({QString::fromStdString(folder.string())});
    }
    void command() {
        const auto& all = main.commands().all();
        const QString id = all[std::size_t(pick(int(all.size())))].id;
        // These begin from nothing: now and then only, or nothing is ever there.
        if ((id == "close-series" || id == "begin-anew") && pick(10) != 0) return;
        if (QAction* action = main.commands().action(id); !left_out_.contains(id) && action->isEnabled()) {
            INFO(id.toStdString());
            action->trigger();
        }
    }
    void about_the_set() {
        Session& s = main.session();
        switch (pick(4)) {
            case 0:
                return s.set_recipe.set_carried(kRecipeParts[pick(int(std::size(kRecipeParts)))], pick(2));
            case 1:
                if (s.set_list.count() > 0) s.set_list.set_ticked(pick(s.set_list.count()), pick(2));
                return;
            case 2:
                return s.set_run.set_out(
                    QString::fromStdString((scratch_ / "finished").string() + "/{series}-{number}"));
            default:
                // A run beside everything else; now and then it is stopped.
                if (s.set_run.is_running() && pick(3) == 0) return s.set_run.stop();
                if (s.set_run.why_not().isEmpty() && !s.set_run.is_running()) s.set_run.start(0);
        }
    }
    QPointF place() { return {double(pick(240)), double(pick(140))}; }
    void stroke() {
        Session& s = main.session();
        s.brushwork.begin_stroke(place(), 0.2 + pick(8) / 10.0);
        for (int i = pick(4); i > 0; --i) s.brushwork.continue_stroke(place());
        if (pick(4) != 0) s.brushwork.end_stroke();
    }
    void press(Qt::MouseButton button) {
        PictureView& view = main.picture_view();
        const auto at = [this, &view] { return QPoint(pick(view.width()), pick(view.height())); };
        QTest::mousePress(&view, button, {}, at());
        QTest::mouseMove(&view, at());
        QTest::mouseRelease(&view, button, {}, at());
    }

    std::mt19937 random_;
    const test::Scratch& scratch_;
    test::Scratch edges_;
    QStringList left_out_;
};

}  // namespace

TEST_CASE(
    "whatever is done in whatever order, nothing crashes, undo gives the first value and reopening the last",
    "[desktop][monkey]") {
    const int steps = number_from("MOORHAZE_MONKEY_STEPS", 300),
              seed = number_from("MOORHAZE_MONKEY_SEED", 1);
    const test::Scratch scratch;
    const ClosesDialogs closes;
    Project last;
    std::filesystem::path file;
    {
        Monkey monkey{unsigned(seed), scratch};
        Session& session = monkey.main.session();
        int with_result = 0;
        for (int i = 0; i < steps; ++i) {
            INFO("step " << i << " of seed " << seed);
            monkey.step();
            if (i % 1000 == 999) std::cerr << "monkey, step " << i + 1 << "\n";
            if (monkey.pick(3) == 0) QTest::qWait(monkey.pick(12));
            const PlanePtr& plane = session.products.plane();
            REQUIRE((!plane || plane->series.count() == int(plane->geometry.frames.size())));
            if (const ProjectResult* result = session.standpoint.result()) {
                ++with_result;
                REQUIRE(find_result(session.document.project(), result->id) == result);
            }
        }
        CHECK(with_result > steps / 3);  // otherwise it walked about in an empty room
        session.set_run.stop();
        session.brushwork.end_stroke();
        monkey.settle();
        if (!session.document.has_series()) {
            monkey.main.open_paths({QString::fromStdString(StripSession::files().folder().string())});
            wait_until([&] { return session.document.has_series(); });
            monkey.settle();
        }
        // Every step can be taken back and done again, whatever happened between.
        const Project before = session.document.project();
        const History& history = session.document.history();
        while (history.can_redo()) session.document.redo();
        const Project whole = session.document.project();
        int taken_back = 0;
        while (history.can_undo()) session.document.undo(), ++taken_back;
        CHECK(taken_back == history.steps());
        monkey.settle();
        for (int i = 0; i < taken_back; ++i) session.document.redo();
        CHECK(session.document.project() == whole);
        monkey.settle();
        session.merging.rename({1}, QStringLiteral("kept"));  // so that it is worth keeping
        session.document.edit(QStringLiteral("name"), with_name(session.document.project(), "after all"));
        wait_until([&] { return session.autosave.is_settled() && session.autosave.keeper()->is_saved(); });
        last = session.document.project();
        file = session.autosave.keeper()->file();
    }
    Project read = open_project(file, {}).saved.project;
    // What was merged ahead and nobody used is nobody's.
    std::vector<int> places;
    for (int i = 0; i < last.results.size(); ++i)
        if (!last.results[i].ahead || !last.results[i].strokes.empty()) places.push_back(i);
    last.results = last.results.picked(places);
    CHECK(read.frames == last.frames);
    CHECK(read.results == last.results);
    CHECK(read.merge == last.merge);
    CHECK(read.finish == last.finish);
    CHECK(read.set == last.set);
    CHECK(read.name == last.name);
}
