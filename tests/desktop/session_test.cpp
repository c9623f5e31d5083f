// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/session.h"

#include <QSignalSpy>
#include <QTest>

#include "desktop/session/document/facts.h"
#include "tests/desktop/asking.h"
#include "tests/desktop/waiting.h"
#include "tests/support/series_files.h"

using namespace moorhaze;
using namespace moorhaze::desktop;
using test::wait_until;

namespace {

void open_strips(Session& session, const test::Scratch& scratch, int frames = 6) {
    test::write_series(scratch, test::strip_series({240, 140}, frames));
    session.opening.open({scratch.folder()});
    wait_until([&] { return session.looking.is_done() && !session.jobs.busy(); });
}

}  // namespace

TEST_CASE("opening a folder profiles it and goes to Cull", "[desktop]") {
    const test::Scratch scratch;
    Session session;
    open_strips(session, scratch);
    CHECK(session.document.series().count() == 6);
    CHECK(session.standpoint.stage() == Stage::cull);
    CHECK(session.products.looked()->whole.share.size() == 6);
}

TEST_CASE("opening what cannot be opened is reported and keeps the series there was", "[desktop]") {
    const test::Scratch scratch;
    Session session;
    open_strips(session, scratch);
    QSignalSpy notified(&session.notices, &Notices::notified);
    session.opening.open({scratch / "nowhere"});
    wait_until([&] { return !session.jobs.busy(); });
    REQUIRE(notified.size() >= 1);
    CHECK(notified[0][0].toString().contains("nowhere"));
    CHECK(notified[0][1].toBool());
    CHECK(session.document.series().count() == 6);
}

TEST_CASE("leaving out, range and reference can be undone and done again", "[desktop]") {
    const test::Scratch scratch;
    Session session;
    open_strips(session, scratch);
    session.culling.set_used(session.document.id_at(2), false);
    session.culling.set_range({1, 4});
    session.culling.set_reference(session.document.id_at(3));
    CHECK(session.document.series().chosen() == std::vector<int>{1, 3, 4});
    CHECK(test::reference(session) == 3);
    session.document.undo();
    CHECK(test::reference(session) == session.products.looked()->whole.suggested_reference);
    session.document.undo();
    session.document.undo();
    CHECK(session.document.series().chosen().size() == 6);
    CHECK_FALSE(session.document.history().can_undo());
    while (session.document.history().can_redo()) session.document.redo();
    CHECK(session.document.series().chosen() == std::vector<int>{1, 3, 4});
    session.culling.set_used(session.document.id_at(2), false);
    CHECK(session.document.history().steps() == 3);  // nothing changed, so there is nothing to undo
}

TEST_CASE("align and merge gives a result that goes out of date when its input changes", "[desktop]") {
    const test::Scratch scratch;
    Session session;
    open_strips(session, scratch);
    session.merging.merge();
    wait_until([&] { return session.standpoint.result() != nullptr; });
    CHECK(session.products.plane_is_current());
    CHECK(session.merging.is_current());
    CHECK(session.standpoint.stage() == Stage::merge);
    CHECK(test::has_unsaved(session));
    session.culling.set_used(session.document.id_at(0), false);
    CHECK_FALSE(session.merging.is_current());
    CHECK_FALSE(session.products.plane_is_current());
    session.document.undo();
    CHECK(session.merging.is_current());
    session.culling.set_range({1, 5});
    CHECK(session.products.plane_is_current());  // a range needs no new alignment
    CHECK_FALSE(session.merging.is_current());
    test::set_method(session, "depth");
    session.merging.merge();
    wait_until([&] { return test::results(session).size() == 2; });
    CHECK(text(session.standpoint.result()->title).startsWith("Depth map"));
    session.standpoint.set_result(test::results(session)[0].id);
    CHECK(test::merge_shown(session).method == "woven");
    session.merging.drop(test::results(session)[0].id);
    CHECK(test::results(session).size() == 1);
}

TEST_CASE("merging may be asked for while the frames are still being profiled", "[desktop]") {
    const test::Scratch scratch;
    test::write_series(scratch, test::strip_series({240, 140}, 6));
    Session session;
    session.opening.open({scratch.folder()});
    wait_until([&] { return session.document.has_series(); });
    session.merging.merge();
    wait_until([&] { return session.standpoint.result() != nullptr; });
    CHECK(session.looking.is_done());
    CHECK(session.products.merge(session.standpoint.result()->id)->plane->geometry.reference ==
          test::reference(session));
}

TEST_CASE("a stopped merge leaves what there was and says so", "[desktop]") {
    const test::Scratch scratch;
    Session session;
    open_strips(session, scratch);
    QSignalSpy cancelled(&session.jobs, &JobRunner::cancelled);
    session.merging.merge();
    session.jobs.cancel();
    wait_until([&] { return !session.jobs.busy(); });
    CHECK(cancelled.size() == 1);
    CHECK(test::results(session).empty());
    session.merging.merge();
    wait_until([&] { return session.standpoint.result() != nullptr; });
}

TEST_CASE("without any frame left a merge says what to do", "[desktop]") {
    const test::Scratch scratch;
    Session session;
    open_strips(session, scratch, 3);
    QSignalSpy notified(&session.notices, &Notices::notified);
    for (int i = 0; i < 3; ++i) session.culling.set_used(session.document.id_at(i), false);
    session.merging.merge();
    wait_until([&] { return notified.size() > 0; });
    CHECK(notified.back()[0].toString().contains("No frame is left"));
    CHECK(test::results(session).empty());
}

TEST_CASE("flags and gaps are put in words", "[desktop]") {
    CHECK(frames_text(3, 3) == "Frame 4");
    CHECK(frames_text(3, 7) == "Frames 4 to 8");
    CHECK(exposure_text(1.0 / 160) == "1/160 s");
    CHECK(exposure_text(2) == "2 s");
    CHECK(gap_text({9, 10, 2.2}).contains("after frame 10"));
    CHECK(gap_text({9, 10, 0.9}).contains("at least 1 step missing"));
    CHECK(strokes_text(1) == "1 stroke");
    CHECK(strokes_text(4) == "4 strokes");
}

TEST_CASE("jobs run in their order, and a failure does not stop the next", "[desktop]") {
    JobRunner jobs;
    QStringList log;
    QObject::connect(&jobs, &JobRunner::failed, &jobs,
                     [&](const QString& title, const QString& why) { log << title + ":" + why; });
    jobs.start(
        "one", [](const Job&) { return 1; }, [&](int value) { log << QString::number(value); });
    jobs.start(
        "two", [](const Job&) -> int { throw FileError("heather.jpg: gone"); }, [&](int) { log << "never"; });
    jobs.decide([&] {
        log << "decided";
        jobs.start_first(
            "three", [](const Job&) { return 3; }, [&](int value) { log << QString::number(value); });
    });
    jobs.start(
        "four", [](const Job&) { return 4; }, [&](int value) { log << QString::number(value); });
    wait_until([&] { return log.contains("4"); });
    CHECK(log == QStringList{"1", "two:heather.jpg: gone", "decided", "3", "4"});
}
