// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/document/document.h"

#include <QSignalSpy>

#include "tests/core/project/random_project.h"
#include "tests/desktop/strips.h"

using namespace moorhaze;
using namespace moorhaze::desktop;

TEST_CASE("what changed is announced exactly, whatever was done", "[document]") {
    for (unsigned seed = 100; seed < 110; ++seed) {
        test::RandomWork work(seed);
        Document document;
        document.replace(work.begin(), {});
        Changes seen;
        int times = 0;
        QObject::connect(&document, &Document::changed, &document, [&](const Changes& changes) {
            seen = changes;
            ++times;
        });
        for (int i = 0; i < 80; ++i) {
            const Project before = document.project();
            const int had = times;
            const int what = work.below(4);
            if (what == 0)
                document.happened(work.happening(before));
            else if (what == 1)
                document.undo();
            else
                document.edit("step", work.edited(before));
            const Project& now = document.project();
            if (times == had) {
                CHECK(now == before);
                continue;
            }
            INFO("seed " << seed << ", step " << i);
            CHECK(seen.look() == (look_inputs(before) != look_inputs(now)));
            CHECK(seen.placing == (before.placing != now.placing));
            CHECK(seen.merge == (before.merge != now.merge));
            CHECK(seen.kept == (before.kept != now.kept));
            CHECK(seen.shooting == (before.shooting != now.shooting));
            const FrameId any{1};
            if (align_inputs(before, any) != align_inputs(now, any))
                CHECK((seen.selection() || seen.placing || seen.development));
            if (merge_inputs(before, any) != merge_inputs(now, any))
                CHECK((seen.selection() || seen.placing || seen.development || seen.merge || seen.kept));
            for (const ResultId result : seen.mended) {
                const ProjectResult &own = *find_result(before, result), &later = *find_result(now, result);
                CHECK((own.strokes != later.strokes || own.ignored != later.ignored));
            }
            CHECK(document.series().count() == now.frames.size());
        }
    }
}

TEST_CASE("names of frames and results are not given twice within a series", "[document]") {
    test::RandomWork work(7);
    Document document;
    FrameFacts facts;
    for (int i = 1; i <= 14; ++i) facts[{i}] = {};
    document.replace(work.begin(), facts);
    CHECK(document.next_frame_id() == FrameId{15});
    CHECK(document.next_frame_id() == FrameId{16});
    const ResultId one = document.next_result_id();
    CHECK(document.next_result_id() != one);
    const DocumentId serial = document.id();
    document.replace({}, {});
    CHECK(document.id() != serial);
    CHECK_FALSE(document.has_series());
    QSignalSpy changed(&document, &Document::changed);
    document.undo();
    document.redo();
    CHECK(changed.isEmpty());
}

TEST_CASE("a product is out of date exactly while its inputs differ, and undo brings it back", "[document]") {
    test::StripSession own;
    Session& session = own.session;
    own.merge();
    const PlanePtr plane = session.products.plane();
    REQUIRE(session.products.plane_is_current());
    const auto check = [&](bool plane_stays, bool merge_stays) {
        CHECK(session.products.plane_is_current() == plane_stays);
        CHECK(session.merging.is_current() == merge_stays);
        CHECK(session.looking.is_done());
        session.document.undo();
        CHECK(session.products.plane_is_current());
        CHECK(session.products.plane() == plane);
        CHECK(session.merging.is_current());
    };
    session.culling.set_used(session.document.id_at(1), false);
    check(false, false);
    session.culling.set_range({1, 4});
    check(true, false);
    session.culling.set_reference(session.document.id_at(0));
    check(false, false);
    session.aligning.set_kept(KeptArea::everything);
    check(true, false);
    test::set_method(session, "pyramid");
    check(true, false);
    session.merging.rename(session.standpoint.result()->id, "heath");
    check(true, true);
    session.culling.turn_round();
    test::wait_until([&] { return !session.jobs.busy(); });
    check(false, false);
    Development brighter;
    brighter.exposure_ev = 0.3;
    session.opening.develop(brighter);
    test::wait_until([&] { return session.looking.is_done(); });
    check(false, false);
    // Aligned the other way meanwhile, undo needs no new work either.
    session.culling.set_reference(session.document.id_at(5));
    session.aligning.align();
    test::wait_until([&] { return session.products.plane_is_current() && !session.jobs.busy(); });
    CHECK(session.products.plane() != plane);
    session.document.undo();
    CHECK(session.products.plane() == plane);
    session.document.redo();
    CHECK(session.products.plane_is_current());
}

TEST_CASE("a cut series comes back whole by undo, with its results", "[document]") {
    test::StripSession own;
    Session& session = own.session;
    own.merge();
    session.standpoint.set_place(3);
    session.opening.cut_here();
    test::wait_until([&] { return session.looking.is_done() && !session.jobs.busy(); });
    CHECK(session.document.series().count() == 3);
    CHECK(session.document.project().card.size() == 2);
    CHECK(test::results(session).empty());
    session.document.undo();
    CHECK(session.document.series().count() == 6);
    CHECK(session.looking.is_done());
    REQUIRE(test::results(session).size() == 1);
    CHECK(session.products.merge(test::results(session)[0].id));
    session.document.redo();
    CHECK(session.document.series().count() == 3);
    session.opening.join_with_next();
    CHECK(session.document.series().count() == 6);
    session.opening.join_with_next();
    CHECK(own.errors.join(' ').contains("no next series"));
    test::wait_until([&] { return !session.jobs.busy(); });
}
