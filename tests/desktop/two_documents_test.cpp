// SPDX-License-Identifier: GPL-3.0-or-later
// What belongs to one opened series never shows, ends or stops in another: pictures, snags, strokes, exports.
#include <QCloseEvent>
#include <QLabel>
#include <QMessageBox>
#include <QProgressBar>
#include <QTimer>

#include "desktop/view/application.h"
#include "desktop/view/bars.h"
#include "desktop/view/commands.h"
#include "desktop/view/picture_view.h"
#include "tests/desktop/acting.h"
#include "tests/desktop/strips.h"

using namespace moorhaze;
using namespace moorhaze::desktop;
using test::edge_files;
using test::named;
using test::StripSession;
using test::wait_until;
namespace fs = std::filesystem;

namespace {

void open_path(Session& session, const fs::path& path) {
    const DocumentId before = session.document.id();
    session.opening.open({path});
    wait_until([&] {
        return session.document.id() != before && session.looking.is_done() && !session.jobs.busy() &&
               session.result_reader.is_settled();
    });
}

QImage shown_of(Session& session) {
    wait_until([&] { return session.brushwork.is_settled() && session.mended_display.picture(); });
    return session.mended_display.picture()->levels()[0];
}

/// Presses a button of the next question, which must be there.
void answer(const char* box_name, const QString& button_text, QString* said = nullptr) {
    QTimer::singleShot(150, qApp, [=] {
        auto* box = qobject_cast<QMessageBox*>(QApplication::activeModalWidget());
        REQUIRE(box);
        CHECK(box->objectName() == box_name);
        if (said) *said = box->text();
        for (QAbstractButton* button : box->buttons())
            if (button->text() == button_text) return button->click();
        CHECK(button_text == "one of the question's buttons");
        box->reject();
    });
}

}  // namespace

TEST_CASE("closing while a merge runs that was asked for names it, and may be thought better of",
          "[desktop][documents]") {
    MainWindow main;
    main.show();
    Session& session = main.session();
    main.open_paths({QString::fromStdString(StripSession::files().folder().string())});
    wait_until([&] { return session.looking.is_done() && main.is_settled(); });
    CHECK_FALSE(session.merging.is_asked_for());
    session.merging.merge();
    REQUIRE(session.merging.is_asked_for());
    QString said;
    answer("workQuestion", "Stay here", &said);
    CHECK_FALSE(main.close());
    CHECK_THAT(said.toStdString(), Catch::Contains("a merge"));
    wait_until([&] { return session.standpoint.result() && main.is_settled(); });
    CHECK_FALSE(session.merging.is_asked_for());
}

TEST_CASE("result 1 of one project is never shown as result 1 of another", "[desktop][documents]") {
    const test::Scratch scratch, projects;
    fs::path project;
    QImage wanted;
    {
        StripSession own(false);
        own.session.autosave.set_folder(projects.folder());
        open_path(own.session, StripSession::files().folder());
        own.merge();
        wanted = shown_of(own.session).copy();
        wait_until(
            [&] { return own.session.autosave.is_settled() && own.session.autosave.keeper()->is_saved(); });
        project = own.session.autosave.keeper()->file();
    }
    StripSession own(false);
    own.session.autosave.set_folder(scratch.folder());
    open_path(own.session, edge_files().folder());
    own.merge();
    const QImage other = shown_of(own.session).copy();
    const ResultId first = test::results(own.session)[0].id;
    open_path(own.session, project);
    REQUIRE(test::results(own.session)[0].id == first);  // the same number, of another document
    const QImage shown = shown_of(own.session);
    CHECK(test::mean_difference(shown, wanted) < 0.5);
    CHECK(test::mean_difference(other, wanted) > 5);
}

TEST_CASE("snags that are found when another series is open are nobody's", "[desktop][documents]") {
    const test::Scratch scratch;
    StripSession own(false);
    own.session.autosave.set_folder(scratch.folder());
    open_path(own.session, edge_files().folder());
    own.merge();
    own.session.standpoint.set_stage(Stage::mend);  // begins to look for them
    REQUIRE_FALSE(own.session.snag_walk.is_known());
    const DocumentId before = own.session.document.id();
    own.session.opening.open({StripSession::files().folder()});
    wait_until([&] { return own.session.document.id() != before && own.session.looking.is_done(); });
    wait_until([&] { return own.session.snag_walk.is_settled(); });
    CHECK_FALSE(own.session.snag_walk.is_known());
    CHECK(own.session.snag_walk.left() == 0);
}

TEST_CASE("a speck that is healed while another series is opened heals nothing, and crashes nothing",
          "[desktop][documents]") {
    const test::Scratch scratch;
    StripSession own(false);
    own.session.autosave.set_folder(scratch.folder());
    open_path(own.session, StripSession::files().folder());
    own.merge();
    own.session.standpoint.set_stage(Stage::mend);
    Brush brush = own.session.standpoint.brush();
    brush.tool = MendTool::heal;
    brush.radius_px = 6;
    own.session.standpoint.set_brush(brush);
    wait_until([&] { return own.session.brushwork.is_settled(); });
    own.session.brushwork.begin_stroke({100, 60});
    own.session.brushwork.continue_stroke({110, 62});
    own.session.brushwork.end_stroke();  // made beside
    open_path(own.session, edge_files().folder());
    CHECK(own.session.brushwork.is_settled());
    own.merge();
    CHECK(test::results(own.session)[0].strokes.empty());
}

TEST_CASE("an export goes on while the next series is opened, and is said when it is done",
          "[desktop][documents]") {
    const test::Scratch scratch;
    StripSession own;
    own.merge();
    QStringList saved;
    QObject::connect(&own.session.exporter, &Exporter::saved, [&](const QString& file) { saved << file; });
    Output output;
    output.format = FileFormat::tiff;
    const QString first = QString::fromStdString((scratch / "first.tif").string()),
                  second = QString::fromStdString((scratch / "second.tif").string());
    own.session.exporter.save(first, output, false);
    own.session.exporter.save(second, output, false);  // waits behind it
    own.session.opening.open({edge_files().folder()});
    wait_until([&] { return saved.size() == 2; });
    wait_until([&] { return own.session.looking.is_done() && !own.session.jobs.busy(); });
    CHECK(read_picture(scratch / "first.tif").width() > 200);
    CHECK(read_picture(scratch / "second.tif").width() > 200);
    CHECK(own.errors.isEmpty());
    // The document of now knows nothing of it.
    CHECK_FALSE(test::has_unsaved(own.session));
}

TEST_CASE("an original is replaced by no export and no single frame, whatever was answered",
          "[desktop][documents]") {
    const test::Scratch scratch;
    for (const auto& file : fs::directory_iterator(StripSession::files().folder()))
        if (file.path().extension() == ".tif") fs::copy_file(file.path(), scratch / file.path().filename());
    StripSession own(false);
    own.session.opening.open({scratch.folder()});
    wait_until([&] { return own.session.looking.is_done() && !own.session.jobs.busy(); });
    own.merge();
    const fs::path frame = own.session.document.series().frames[1].path;
    const std::string before = test::read_all(frame);
    Output output;
    output.format = FileFormat::tiff;
    own.session.exporter.save(QString::fromStdString(frame.string()), output, true);
    wait_until([&] { return !own.session.exports.busy(); });
    WriteSettings write;
    write.overwrite = true;
    own.session.culling.save_frame(own.session.document.id_at(2), frame, write);
    wait_until([&] { return !own.session.exports.busy(); });
    CHECK(test::read_all(frame) == before);
    CHECK(own.errors.join('\n').count("Originals are never written") == 2);
}

TEST_CASE("a window that may not write a project says so beside its name, and asks before it is closed",
          "[desktop][documents]") {
    const test::Scratch scratch;
    StripSession first(false);
    first.session.autosave.set_folder(scratch.folder());
    open_path(first.session, StripSession::files().folder());
    first.merge();
    wait_until(
        [&] { return first.session.autosave.is_settled() && first.session.autosave.keeper()->is_saved(); });
    MainWindow second;
    second.session().autosave.set_folder(scratch / "unsaved");
    second.show();
    second.open_paths({QString::fromStdString(first.session.autosave.keeper()->file().string())});
    wait_until([&] { return second.session().document.has_series() && second.session().looking.is_done(); });
    test::settle(second);
    auto* unsaved = named<QLabel>(second, "unsaved");
    CHECK(unsaved->isVisible());
    CHECK(unsaved->text().contains("open elsewhere"));
    CHECK_FALSE(
        second.session().document.would_lose_work());  // nothing was decided here: nothing would be asked
    second.session().merging.rename(test::results(second.session())[0].id, "of the second");
    REQUIRE(second.session().document.history().steps() == 1);
    CHECK(unsaved->isVisible());
    QString said;
    answer("leaveQuestion", "Stay here", &said);
    CHECK_FALSE(second.close());
    CHECK(said.contains("not saved"));
    answer("leaveQuestion", "Leave without it");
    CHECK(second.close());
}

TEST_CASE("a very long name leaves the window as wide as it is", "[desktop][documents]") {
    MainWindow main;
    main.resize(1280, 800);
    main.show();
    const int before = main.minimumSizeHint().width();
    main.open_paths({QString::fromStdString(StripSession::files().folder().string())});
    wait_until([&] { return main.session().looking.is_done(); });
    test::settle(main);
    main.session().document.happened(
        [](const Project& own) { return with_name(own, std::string(180, 'w')); });
    test::settle(main);
    CHECK(main.width() == 1280);
    CHECK(main.minimumSizeHint().width() <= std::max(1280, before));
}

TEST_CASE("a place that means nothing is told while it is typed, in every page that reads it",
          "[desktop][documents]") {
    MainWindow main;
    main.show();
    SetRun& run = main.session().set_run;
    for (const char* typed : {"out/{foo}", "", "a\nb", "{", "{series}/{nonsense}.tif"}) {
        INFO(typed);
        run.set_out(QString::fromLatin1(typed));
        CHECK_FALSE(run.place());
        CHECK(run.table().isEmpty());
        main.session().standpoint.set_stage(Stage::plan);
        QTest::qWait(5);
    }
    run.set_out("out/{series}.tif");
    CHECK(run.place());
}

TEST_CASE("an exception that leaves the answer to an event is told and ends nothing",
          "[desktop][documents]") {
    auto& application = *static_cast<Application*>(QCoreApplication::instance());
    QString why;
    application.when_something_escapes([&](const QString& said) { why = said; });
    QTimer::singleShot(0, &application, [] { throw FileError("the moor is wet"); });
    wait_until([&] { return !why.isEmpty(); }, 2000);
    CHECK(why == "the moor is wet");
    application.when_something_escapes({});
}
