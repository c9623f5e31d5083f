// SPDX-License-Identifier: GPL-3.0-or-later
// Projects keep themselves: closing, crashes, full discs and second windows lose nothing.
#include <sys/resource.h>

#include <QFileInfo>
#include <QMenu>
#include <QMessageBox>
#include <QProcess>
#include <QSettings>
#include <csignal>
#include <random>

#include "core/project/result_files.h"
#include "desktop/view/picture_view.h"
#include "tests/desktop/acting.h"
#include "tests/desktop/strips.h"

using namespace moorhaze;
using namespace moorhaze::desktop;
using test::StripSession;
using test::wait_until;
namespace fs = std::filesystem;

namespace {

/// A session that keeps its projects below a folder.
struct KeptSession : StripSession {
    explicit KeptSession(const fs::path& unsaved, bool opened = true) : StripSession(false) {
        session.autosave.set_folder(unsaved);
        if (opened) open(files().folder());
    }
    void open(const fs::path& path) {
        const DocumentId before = session.document.id();
        session.opening.open({path});
        wait_until([&] {
            return session.document.id() != before && session.looking.is_done() && !session.jobs.busy() &&
                   session.result_reader.is_settled();
        });
    }
    /// Another series, of four frames, until nothing of the one before is written any more.
    void open_four() {
        static const test::Scratch four;
        static const bool written = [] {
            test::write_series(four, test::edge_series({240, 140}, 4));
            return true;
        }();
        (void)written;
        session.opening.open({four.folder()});
        wait_until([&] { return session.document.series().count() == 4; });
        wait_until([&] { return session.autosave.is_settled() && session.looking.is_done(); });
    }
    void draw(double x_px, double y_px) {
        session.standpoint.set_stage(Stage::mend);
        session.standpoint.set_source(session.document.id_at(1));
        wait_until([&] { return session.brushwork.is_settled(); });
        session.brushwork.begin_stroke({x_px, y_px});
        session.brushwork.continue_stroke({x_px + 30, y_px + 5});
        session.brushwork.end_stroke();
        wait_until([&] { return session.brushwork.is_settled(); });
    }
    void wait_until_saved() {
        wait_until([&] { return session.autosave.is_settled() && session.autosave.keeper()->is_saved(); });
    }
    fs::path file() const { return session.autosave.keeper()->file(); }
    bool was_told(const char* words) const {
        return errors.join('\n').contains(QLatin1String(words)) ||
               notes.join('\n').contains(QLatin1String(words));
    }
};

bool equal(const cv::Mat& one, const cv::Mat& other) {
    return one.size() == other.size() && cv::norm(one, other, cv::NORM_INF) == 0;
}

/// While it lives no file grows beyond so many bytes: writing fails in the middle, as on a full disc.
class FullDisc {
  public:
    explicit FullDisc(rlim_t bytes) {
        signal(SIGXFSZ, SIG_IGN);
        getrlimit(RLIMIT_FSIZE, &before_);
        rlimit low = before_;
        low.rlim_cur = bytes;
        REQUIRE(setrlimit(RLIMIT_FSIZE, &low) == 0);
    }
    FullDisc(const FullDisc&) = delete;
    FullDisc& operator=(const FullDisc&) = delete;
    ~FullDisc() { setrlimit(RLIMIT_FSIZE, &before_); }

  private:
    rlimit before_{};
};

}  // namespace

TEST_CASE("a project that was closed goes on where it was left: stage, frames, results, strokes", "[kept]") {
    const test::Scratch scratch;
    Project left;
    Picture mended;
    fs::path file;
    {
        KeptSession own(scratch.folder());
        CHECK(own.session.autosave.is_unsaved());
        own.session.culling.toggle_use(own.session.document.id_at(4));
        own.merge();
        own.draw(60, 40);
        own.session.merging.rename(test::results(own.session)[0].id, "heath");
        own.session.standpoint.set_place(3);
        file = own.file();
        left = own.session.document.project();
        mended = test::mended_shown(own.session);
        // Nothing waits for the two seconds at the end.
    }
    KeptSession again(scratch.folder(), false);
    again.open(file);
    Session& session = again.session;
    CHECK(session.document.project() == left);
    CHECK(session.standpoint.stage() == Stage::mend);
    CHECK(session.standpoint.place() == 3);
    REQUIRE(session.standpoint.result());
    CHECK(session.standpoint.result()->title == "heath");
    CHECK(session.document.history().steps() == 0);
    CHECK(again.errors.isEmpty());
    const Picture back = test::mended_shown(session);
    CHECK(equal(back.pixels, mended.pixels));
    // The frames lie as they did: nothing is aligned again, and the result is of today.
    CHECK(session.products.plane_is_current());
    CHECK(session.merging.is_current());
    // It is worked on as before, and handed over.
    again.draw(100, 60);
    CHECK(session.standpoint.result()->strokes.size() == 2);
    const fs::path out = scratch / "heath.tif";
    bool exported = false;
    QObject::connect(&session.exporter, &Exporter::saved, &session.exporter, [&] { exported = true; });
    session.exporter.save(QString::fromStdString(out.string()), Output{}, false);
    wait_until([&] { return exported; });
    CHECK(equal(read_picture(out).pixels, test::mended_shown(session).pixels));
    again.wait_until_saved();
    CHECK(open_project(file, {}).saved.project.results[0].is_saved());
}

TEST_CASE(
    "a stroke from another result is kept, and shown without a complaint when the project is opened again",
    "[kept]") {
    const test::Scratch scratch;
    fs::path file;
    Picture mended;
    {
        KeptSession own(scratch.folder());
        own.merge();
        const ResultId first = own.session.standpoint.result()->id;
        MergeChoice choice = own.session.document.project().merge;
        choice.method = "depth";
        own.session.merging.set_choice(choice, "method");
        own.merge();
        own.session.standpoint.set_stage(Stage::mend);
        own.session.standpoint.set_source_result(first);
        wait_until([&] { return own.session.brushwork.is_settled(); });
        own.session.brushwork.begin_stroke({100, 60});
        own.session.brushwork.continue_stroke({130, 70});
        own.session.brushwork.end_stroke();
        wait_until([&] { return own.session.brushwork.is_settled(); });
        REQUIRE(own.session.standpoint.result()->strokes.size() == 1);
        mended = test::mended_shown(own.session);
        CHECK_FALSE(
            equal(mended.pixels,
                  own.session.products.merge(own.session.standpoint.result()->id)->result->picture.pixels));
        own.wait_until_saved();
        file = own.file();
    }
    KeptSession again(scratch.folder(), false);
    again.open(file);
    wait_until([&] { return again.session.brushwork.is_settled(); });
    CHECK(again.errors.isEmpty());
    CHECK(equal(test::mended_shown(again.session).pixels, mended.pixels));
}

TEST_CASE("how a person likes to work is kept from one start to the next", "[kept]") {
    const test::Scratch scratch;
    QSettings settings(QString::fromStdString((scratch / "settings.ini").string()), QSettings::IniFormat);
    {
        Session session;
        session.preferences.keep_in(&settings);
        CHECK(session.memory_mb() == default_memory_mb());
        session.set_memory_mb(3000);
        session.standpoint.set_brush({42, 0.25, 0.9, MendTool::wipe_back});
        session.standpoint.set_look_ahead(false);
        session.standpoint.set_marks_reach(0.7);
        session.standpoint.set_close_zoom(1.5);
    }
    Session session;
    session.preferences.keep_in(&settings);
    CHECK(session.memory_mb() == 3000);
    CHECK(session.merging.memory_mb() == 3000 - 450 - 750);
    CHECK(session.standpoint.brush().radius_px == 42);
    CHECK(session.standpoint.brush().softness == 0.25);
    CHECK(session.standpoint.brush().flow == 0.9);
    CHECK(session.standpoint.brush().tool == MendTool::draw_in);  // a tool, not a liking
    CHECK_FALSE(session.standpoint.look_ahead());
    CHECK(session.standpoint.marks_reach() == 0.7);
    CHECK(session.standpoint.close_zoom() == 1.5);
    // What a hand wrote wrongly does no harm.
    settings.setValue("brush/radius_px", "huge");
    settings.setValue("memory/megabytes", -5);
    Session other;
    other.preferences.keep_in(&settings);
    CHECK(other.standpoint.brush().radius_px >= 1);
    CHECK(other.memory_mb() >= 100);
}

TEST_CASE("a series that nothing was done with leaves no project behind", "[kept]") {
    const test::Scratch scratch;
    fs::path file;
    {
        KeptSession own(scratch.folder());
        own.wait_until_saved();
        file = own.file();
        CHECK(fs::exists(file));
    }
    CHECK_FALSE(fs::exists(file.parent_path()));
}

TEST_CASE("another series does not end the work on the one before", "[kept]") {
    const test::Scratch scratch, more;
    test::write_series(more, test::strip_series({160, 90}, 4));
    KeptSession own(scratch.folder());
    own.merge();
    own.draw(60, 40);
    const fs::path first = own.file();
    const Project left = own.session.document.project();
    CHECK_FALSE(own.session.document.would_lose_results());
    own.open(more.folder());
    CHECK(own.file() != first);
    // Taken up again at once, while it may still be written.
    own.open(first);
    CHECK(own.session.document.project() == left);
    CHECK(own.session.products.merge(left.results[0].id));
    CHECK(own.errors.isEmpty());
}

TEST_CASE("a project is kept where the person wants it, with all it holds", "[kept]") {
    const test::Scratch scratch, elsewhere;
    KeptSession own(scratch.folder());
    own.merge();
    const fs::path before = own.file();
    own.session.autosave.keep_as(elsewhere.folder(), "bog cotton");
    wait_until([&] { return own.file() == elsewhere / "bog cotton" / "bog cotton.moorhaze"; });
    own.wait_until_saved();
    CHECK_FALSE(own.session.autosave.is_unsaved());
    CHECK_FALSE(fs::exists(before.parent_path()));
    CHECK(has_result(own.file().parent_path(), test::results(own.session)[0].id));
    CHECK(own.was_told("Kept in"));
    // What comes later goes there, too.
    own.session.merging.rename(test::results(own.session)[0].id, "later");
    own.wait_until_saved();
    CHECK(open_project(own.file(), {}).saved.project.results[0].title == "later");
}

TEST_CASE("the second window on a project only reads, says who has it, and can keep a copy", "[kept]") {
    const test::Scratch scratch, elsewhere;
    KeptSession own(scratch.folder());
    own.merge();
    own.wait_until_saved();
    KeptSession second(scratch.folder(), false);
    second.open(own.file());
    CHECK(second.was_told("is open in another window"));
    CHECK(second.was_told(std::to_string(QCoreApplication::applicationPid()).c_str()));
    CHECK(second.session.products.merge(test::results(second.session)[0].id));
    second.session.merging.rename(test::results(second.session)[0].id, "of the second");
    CHECK(second.session.document.would_lose_results());
    own.session.merging.rename(test::results(own.session)[0].id, "of the first");
    own.wait_until_saved();
    CHECK(open_project(own.file(), {}).saved.project.results[0].title == "of the first");
    second.session.autosave.keep_as(elsewhere.folder(), "copy");
    second.wait_until_saved();
    const OpenedProject copy = open_project(elsewhere / "copy" / "copy.moorhaze", {});
    CHECK(copy.saved.project.results[0].title == "of the second");
    CHECK(has_result(elsewhere / "copy", copy.saved.project.results[0].id));
    CHECK(open_project(own.file(), {}).saved.project.results[0].title == "of the first");
}

TEST_CASE("a lock that a dead process left is taken over", "[kept]") {
    const test::Scratch scratch;
    fs::path file;
    {
        KeptSession own(scratch.folder());
        own.merge();
        file = own.file();
    }
    // As QLockFile writes it: process, program, host; no process has this number.
    test::write_all(file.parent_path() / ".in-use",
                    "4194399\nmoorhaze\n" + QSysInfo::machineHostName().toStdString() + "\n");
    KeptSession again(scratch.folder(), false);
    again.open(file);
    CHECK(again.errors.isEmpty());
    again.session.merging.rename(test::results(again.session)[0].id, "mine");
    again.wait_until_saved();
    CHECK(open_project(file, {}).saved.project.results[0].title == "mine");
}

TEST_CASE("a folder that is removed while it is open is written again, results and all", "[kept]") {
    const test::Scratch scratch;
    KeptSession own(scratch.folder());
    own.merge();
    own.wait_until_saved();
    fs::remove_all(own.file().parent_path());
    own.session.merging.rename(test::results(own.session)[0].id, "still here");
    own.wait_until_saved();
    const OpenedProject opened = open_project(own.file(), {});
    REQUIRE(opened.saved.project.results.size() == 1);
    CHECK(opened.saved.project.results[0].title == "still here");
    const StoredResult stored = read_result(own.file().parent_path(), opened.saved.project.results[0], {});
    CHECK(equal(stored.result.picture.pixels, test::merge_shown(own.session).picture.pixels));
}

TEST_CASE("strokes on a result whose pixels somebody removed are not lost with them", "[kept]") {
    const test::Scratch scratch;
    fs::path file;
    {
        KeptSession own(scratch.folder());
        own.merge();
        own.draw(60, 40);
        file = own.file();
    }
    fs::remove(file.parent_path() / "results" / "1.json");
    fs::remove(file.parent_path() / "results" / "1.tif");
    KeptSession again(scratch.folder(), false);
    again.open(file);
    CHECK(again.was_told("Merge it again"));
    CHECK(again.session.products.merge(test::results(again.session)[0].id) == nullptr);
    again.session.merging.rename(test::results(again.session)[0].id, "without pixels");
    again.wait_until_saved();
    const Project there = open_project(file, {}).saved.project;
    REQUIRE(there.results.size() == 1);
    CHECK(there.results[0].title == "without pixels");
    CHECK(there.results[0].strokes.size() == 1);
}

TEST_CASE("where nothing can be written work goes on from memory, and is saved as soon as it can be",
          "[kept]") {
    const test::Scratch scratch;
    const fs::path unsaved = scratch / "unsaved";
    test::write_all(unsaved, "a stone in the way");
    KeptSession own(unsaved);
    wait_until([&] { return own.was_told("The project is not saved"); });
    CHECK(own.session.autosave.in_words().contains("Not saved"));
    own.merge();
    CHECK(own.session.document.would_lose_results());
    const auto told = own.errors.filter("The project is not saved").size();
    fs::remove(unsaved);
    own.wait_until_saved();
    CHECK(own.errors.filter("The project is not saved").size() == told);  // once, not with every try
    CHECK(own.was_told("The project is saved again"));
    CHECK_FALSE(own.session.document.would_lose_results());
    CHECK(has_result(own.file().parent_path(), test::results(own.session)[0].id));
}

TEST_CASE("a disc that is full in the middle of a save leaves the last good project whole", "[kept]") {
    const test::Scratch scratch;
    KeptSession own(scratch.folder());
    own.session.culling.toggle_use(own.session.document.id_at(4));
    own.wait_until_saved();
    {
        const FullDisc full(20'000);  // less than a picture, more than the project's file
        own.merge();
        wait_until([&] { return own.was_told("The project is not saved"); });
        const OpenedProject there = open_project(own.file(), {});
        CHECK_FALSE(there.saved.project.frames[4].used);
        CHECK(there.saved.project.results.empty());  // it names no picture that is not whole
        for (const auto& entry : fs::directory_iterator(own.file().parent_path() / "results"))
            CHECK(entry.path().filename().string().front() != '.');  // nothing half-written stays
    }
    own.wait_until_saved();
    const OpenedProject opened = open_project(own.file(), {});
    REQUIRE(opened.saved.project.results.size() == 1);
    const StoredResult stored = read_result(own.file().parent_path(), opened.saved.project.results[0], {});
    CHECK(equal(stored.result.picture.pixels, test::merge_shown(own.session).picture.pixels));
}

TEST_CASE("frames that were moved are missed by name and found again, and what was made stays", "[kept]") {
    const test::Scratch scratch, place;
    const fs::path frames = place / "heath", attic = place / "attic" / "renamed";
    fs::create_directories(frames);
    for (const auto& entry : fs::directory_iterator(StripSession::files().folder()))
        fs::copy_file(entry.path(), frames / entry.path().filename());
    fs::path file;
    {
        KeptSession own(scratch.folder(), false);
        own.open(frames);
        own.merge();
        own.draw(60, 40);
        file = own.file();
    }
    fs::create_directories(attic.parent_path());
    fs::rename(frames, attic);
    KeptSession again(scratch.folder(), false);
    again.open(file);
    Session& session = again.session;
    CHECK(again.was_told("6 of 6 frames are not where they were"));
    CHECK(session.document.series().size() == cv::Size(240, 140));
    CHECK(session.products.merge(test::results(session)[0].id));
    session.autosave.find_frames(place / "attic");
    wait_until([&] {
        return session.autosave.missing_frames().empty() && !session.jobs.busy() &&
               session.looking.is_done() && session.result_reader.is_settled();
    });
    CHECK(again.was_told("All 6 missing frames were found"));
    CHECK(session.products.looked()->problems.empty());
    again.draw(90, 60);  // from a frame where it lies now
    CHECK(session.standpoint.result()->strokes.size() == 2);
    again.wait_until_saved();
    CHECK(open_project(file, {}).missing.empty());
}

TEST_CASE("a damaged project says so and offers the one that was saved before", "[kept]") {
    const test::Scratch scratch;
    fs::path file;
    {
        KeptSession own(scratch.folder());
        own.merge();
        own.wait_until_saved();
        own.session.merging.rename(test::results(own.session)[0].id, "later");
        file = own.file();
    }
    std::string text = test::read_all(file);
    test::write_all(file, text.substr(0, text.size() / 2));
    KeptSession again(scratch.folder(), false);
    QString damaged, why;
    QObject::connect(&again.session.opening, &Opening::damaged, &again.session.opening,
                     [&](const QString& of, const QString& words) { damaged = of, why = words; });
    again.session.opening.open({file});
    wait_until([&] { return !damaged.isEmpty(); });
    CHECK(why.contains("it can be taken instead"));
    take_last_good(damaged.toStdString());
    again.open(file);
    CHECK(test::results(again.session).size() == 1);
    CHECK(again.session.products.merge(test::results(again.session)[0].id));
}

TEST_CASE("the empty window lists what was worked on, opens it with a click, and offers old ones for removal",
          "[kept][window]") {
    const test::Scratch scratch, elsewhere;
    const fs::path unsaved = scratch / "unsaved";
    QSettings settings(QString::fromStdString((scratch / "settings.ini").string()), QSettings::IniFormat);
    {
        MainWindow main;
        main.remember_in(&settings);
        main.session().autosave.set_folder(unsaved);
        main.open_paths({QString::fromStdString(StripSession::files().folder().string())});
        wait_until([&] { return main.session().looking.is_done(); });
        main.session().merging.merge();
        wait_until([&] { return !test::results(main.session()).empty(); });
        test::settle(main);
        main.session().autosave.keep_as(elsewhere.folder(), "kept");
        wait_until([&] { return !main.session().autosave.is_unsaved(); });
        main.close();  // nothing would be lost, so nothing is asked; it ends when all is on disc
        wait_until([&] { return !main.isVisible() && main.session().autosave.is_written(); });
    }
    // One that nobody has touched for long.
    const fs::path old = unsaved / "old" / "old.moorhaze";
    fs::create_directories(old.parent_path());
    fs::copy_file(elsewhere / "kept" / "kept.moorhaze", old);
    fs::last_write_time(old, fs::file_time_type::clock::now() - std::chrono::hours(24 * 40));

    MainWindow main;
    main.remember_in(&settings);
    main.session().autosave.set_folder(unsaved);
    main.show();
    auto* list = test::named<RowList>(main, "recentProjects");
    wait_until([&] { return list->count() == 2; });
    // The menu offers the same, from within any series.
    const auto* lately = test::named<QMenu>(main, "recentMenu");
    REQUIRE(lately->actions().size() == 2);
    CHECK(lately->actions()[0]->text().startsWith("kept, "));
    CHECK(list->row(0).words.startsWith("kept\ntoday"));
    CHECK(list->row(1).words.contains("not kept"));
    CHECK(main.session().recent_projects.list()[0].picture.width() == 160);
    CHECK(main.session().recent_projects.unsaved_older_than(30).size() == 1);
    auto* remove = test::named<QPushButton>(main, "removeOld");
    QTimer::singleShot(200, qApp, [] {
        auto* box = qobject_cast<QMessageBox*>(QApplication::activeModalWidget());
        REQUIRE(box);
        CHECK(box->text().contains("old ("));
        for (QAbstractButton* button : box->buttons())
            if (button->text() == "Remove") button->click();
    });
    test::click(remove);
    CHECK_FALSE(fs::exists(old));
    REQUIRE(list->count() == 1);
    QTest::mouseClick(list->viewport(), Qt::LeftButton, {},
                      list->visualRect(list->model()->index(0, 0)).center());
    wait_until([&] { return test::results(main.session()).size() == 1; });
    test::settle(main);
    CHECK(main.session().standpoint.stage() == Stage::merge);
    CHECK(main.picture_view().isVisible());
}

TEST_CASE("a window that is killed at any moment has lost no result and at most the last five seconds",
          "[kept][killed]") {
    // MOORHAZE_KILLS asks for more than the few of every day.
    const int kills = qEnvironmentVariableIntValue("MOORHAZE_KILLS") > 0
                          ? qEnvironmentVariableIntValue("MOORHAZE_KILLS")
                          : 3;
    std::string script = "open \"" + StripSession::files().folder().string() + "\"\n";
    script += "merge\nsay merged\nstage mend\npoint 60 40\nzoom 100\n";
    for (int i = 0; i < 40; ++i) {
        script +=
            "draw " + std::to_string(20 + 4 * i) + " 40 " + std::to_string(40 + 4 * i) + " 60\nsay stroke\n";
        if (i == 12) script += "method depth\nmerge\nsay merged\n";
    }
    const test::Scratch steps;
    test::write_all(steps / "steps", script);
    std::mt19937 random(2027);
    int strokes_seen = 0, results_seen = 0, latest_lost_ms = 0;
    for (int run = 0; run < kills; ++run) {
        INFO("run " << run);
        const test::Scratch home;
        QProcess process;
        QProcessEnvironment environment = QProcessEnvironment::systemEnvironment();
        environment.insert("QT_QPA_PLATFORM", "offscreen");
        for (const char* place : {"HOME", "XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_CACHE_HOME"})
            environment.insert(QString::fromLatin1(place), QString::fromStdString(home.folder().string()));
        process.setProcessEnvironment(environment);
        process.start(QStringLiteral(MOORHAZE_PROGRAM),
                      {"--script", QString::fromStdString((steps / "steps").string())});
        REQUIRE(process.waitForStarted());
        QElapsedTimer clock;
        clock.start();
        const int until_ms = 1500 + int(random() % 12'000);
        std::vector<qint64> strokes_ms, results_ms;
        while (clock.elapsed() < until_ms) {
            process.waitForReadyRead(20);
            while (process.canReadLine()) {
                const QByteArray line = process.readLine().trimmed();
                if (line == "stroke") strokes_ms.push_back(clock.elapsed());
                if (line == "merged") results_ms.push_back(clock.elapsed());
            }
        }
        process.kill();
        process.waitForFinished();
        const qint64 end_ms = clock.elapsed();
        auto before = [&](const std::vector<qint64>& times) {
            return int(
                std::count_if(times.begin(), times.end(), [&](qint64 time) { return end_ms - time > 5000; }));
        };
        const fs::path unsaved = home / "moorhaze" / "unsaved";
        int projects = 0;
        if (fs::exists(unsaved))
            for (const auto& entry : fs::directory_iterator(unsaved)) {
                const fs::path file = project_file(entry.path());
                if (file.empty()) continue;  // killed before it was first saved
                ++projects;
                const Project project = open_project(file, {}).saved.project;
                int strokes = 0;
                for (const ProjectResult& result : project.results) {
                    CHECK(read_result(entry.path(), result, {}).result.picture.bits() == 16);
                    strokes += result.strokes.size();
                }
                CHECK(strokes >= before(strokes_ms));
                CHECK(project.results.size() >= before(results_ms));
                strokes_seen += strokes;
                results_seen += project.results.size();
                if (strokes < int(strokes_ms.size()))
                    latest_lost_ms = std::max(latest_lost_ms, int(end_ms - strokes_ms[std::size_t(strokes)]));
            }
        if (before(results_ms) > 0) CHECK(projects == 1);
    }
    CHECK(results_seen > 0);
    WARN(kills << " kills: " << results_seen << " results and " << strokes_seen
               << " strokes found again, the oldest stroke lost was " << latest_lost_ms << " ms old");
}

TEST_CASE("a series that has a project goes on where it was left, and begins anew only when it is asked to",
          "[kept]") {
    const test::Scratch scratch;
    fs::path first;
    {
        KeptSession own(scratch.folder());
        own.merge();
        own.wait_until_saved();
        first = own.file();
    }
    KeptSession own(scratch.folder());
    wait_until([&] { return own.session.document.file() == first && !own.session.jobs.busy(); });
    REQUIRE(test::results(own.session).size() == 1);
    CHECK(own.was_told("goes on where it was left"));
    own.session.opening.begin_anew();
    wait_until([&] { return test::results(own.session).empty() && own.session.looking.is_done(); });
    CHECK(own.session.document.series().count() == StripSession::kFrames);
    CHECK(own.file() != first);
    CHECK(fs::exists(first));
    own.session.opening.close_series();
    CHECK_FALSE(own.session.document.has_series());
    // The same names with other pictures are another series.
    const test::Scratch frames;
    for (const auto& file : fs::directory_iterator(StripSession::files().folder()))
        fs::copy_file(file.path(), frames / file.path().filename());
    own.open(frames.folder());
    own.merge();
    own.wait_until_saved();
    const fs::path of_copies = own.file();
    own.session.opening.close_series();
    for (const auto& file : fs::directory_iterator(frames.folder())) fs::remove(file.path());
    test::write_series(frames, test::edge_series({240, 140}, StripSession::kFrames));
    own.open(frames.folder());
    CHECK(own.file() != of_copies);
    CHECK(test::results(own.session).empty());
}

TEST_CASE("of a card, the series worked on before is as it was left when it is opened again", "[kept]") {
    const test::Scratch scratch, card;
    for (const char* name : {"one", "two"}) {
        fs::create_directories(card / name);
        for (const auto& file : fs::directory_iterator(StripSession::files().folder()))
            fs::copy_file(file.path(), card / name / file.path().filename());
    }
    KeptSession own(scratch.folder(), false);
    own.open(card.folder());
    REQUIRE(own.session.document.project().card.size() == 2);
    own.merge();
    const auto go_to = [&](int place) {
        own.session.opening.open_from_card(place);
        wait_until([&] {
            return own.session.document.project().card_place == place && !own.session.jobs.busy() &&
                   own.session.looking.is_done() && own.session.result_reader.is_settled();
        });
    };
    go_to(1);
    CHECK(test::results(own.session).empty());
    go_to(0);
    REQUIRE(test::results(own.session).size() == 1);
    CHECK(own.session.products.merge(test::results(own.session)[0].id));
}

TEST_CASE("a project that is still being written opens when it is, unless something else was asked for",
          "[kept]") {
    const test::Scratch scratch;
    KeptSession own(scratch.folder());
    own.merge();
    own.wait_until_saved();
    const fs::path first = own.file();
    own.draw(60, 60);
    own.session.opening.close_series();  // it is being written now
    REQUIRE_FALSE(own.session.autosave.is_settled());
    own.session.opening.open({first});
    CHECK(own.was_told("still being written"));
    own.open_four();
    QTest::qWait(100);
    CHECK(own.session.document.series().count() == 4);
    own.session.opening.close_series();
    own.session.opening.open({first});
    wait_until([&] { return own.session.document.file() == first; });
    CHECK(test::results(own.session)[0].strokes.size() == 1);
}

TEST_CASE("kept on another disc while another series is opened, each project lies where it counts as lying",
          "[kept]") {
    const test::Scratch scratch;
    KeptSession own(scratch.folder());
    own.merge();
    own.wait_until_saved();
    const fs::path to = scratch / "kept";
    fs::create_directories(to);
    own.session.autosave.keep_as(to, "strips");
    own.session.autosave.keep_as(to, "twice");  // asked for in haste: the first holds
    own.open_four();
    CHECK(fs::exists(to / "strips" / "strips.moorhaze"));
    CHECK_FALSE(fs::exists(to / "twice"));
    CHECK(own.session.document.file() != to / "strips" / "strips.moorhaze");
    CHECK(own.session.document.project().name != "strips");
    CHECK(own.was_told("already"));
    KeptSession again(scratch / "elsewhere", false);
    again.open(to / "strips" / "strips.moorhaze");
    CHECK(test::results(again.session).size() == 1);
}

TEST_CASE("the window ends when all is on disc, and says what cannot be written while somebody is there",
          "[kept][window]") {
    const test::Scratch scratch;
    MainWindow main;
    main.session().autosave.set_folder(scratch / "unsaved");
    main.show();
    main.open_paths({QString::fromStdString(StripSession::files().folder().string())});
    wait_until([&] { return main.session().looking.is_done(); });
    main.session().merging.merge();
    wait_until([&] { return !test::results(main.session()).empty(); });
    main.session().merging.rename(test::results(main.session())[0].id, "the last word");
    const fs::path file = main.session().autosave.keeper()->file();
    QString said;
    {
        const FullDisc full(100);
        QTimer::singleShot(0, qApp, [&] { main.close(); });
        QTimer asks;
        asks.setInterval(50);
        QObject::connect(&asks, &QTimer::timeout, &main, [&] {
            auto* box = qobject_cast<QMessageBox*>(QApplication::activeModalWidget());
            if (!box || box->objectName() != "unwrittenQuestion") return;
            said = box->text();
            for (QAbstractButton* button : box->buttons())
                if (button->text() == "Stay here") button->click();
        });
        asks.start();
        wait_until([&] { return !said.isEmpty(); });
    }
    CHECK(said.contains("could not be written"));
    CHECK(main.isVisible());
    wait_until([&] { return main.session().autosave.is_written(); });  // it is tried again by itself
    main.session().merging.rename(test::results(main.session())[0].id, "the last but one");
    main.close();
    REQUIRE(main.isVisible());  // that is not on disc yet
    // What still happens while it is written is written, too.
    main.session().merging.rename(test::results(main.session())[0].id, "the very last word");
    main.close();  // asked for in haste: once is enough
    wait_until([&] { return !main.isVisible(); });
    CHECK(test::read_all(file).find("the very last word") != std::string::npos);
}
