// SPDX-License-Identifier: GPL-3.0-or-later
// Something changes while work runs. Each controller, without a window.

#include "tests/desktop/strips.h"

using namespace moorhaze;
using namespace moorhaze::desktop;
using test::StripSession;
using test::wait_until;

namespace {

constexpr int kInterruptedFrames = StripSession::kFrames;

/// Does something as soon as a job of this title has begun: by its signal, so that no quick job is missed.
template <class Do>
void while_running(Session& session, const QString& title, const Do& something) {
    bool done = false;
    QObject context;
    auto look = [&] {
        if (done || !session.jobs.busy() || session.jobs.title() != title) return;
        done = true;
        something();
    };
    QObject::connect(&session.jobs, &JobRunner::changed, &context, look, Qt::QueuedConnection);
    look();
    wait_until([&] { return done; });
}

bool holds_together(const Session& session) {
    const PlanePtr& plane = session.products.plane();
    return !plane || (int(plane->geometry.frames.size()) == session.document.series().count() &&
                      plane->series.count() == session.document.series().count());
}

}  // namespace

TEST_CASE("a frame that arrives during alignment is aligned with the others", "[interrupted]") {
    const test::Scratch scratch;
    StripSession own;
    Session& session = own.session;
    session.aligning.align();
    while_running(session, "align", [&] { own.arrive(scratch); });
    CHECK(holds_together(session));
    wait_until([&] { return !session.jobs.busy(); });
    CHECK(session.document.series().count() == kInterruptedFrames + 1);
    CHECK(holds_together(session));
    CHECK(session.products.plane_is_current());
    CHECK(session.products.kept_area().area() > 0);
}

TEST_CASE("a frame that came after the merge cannot be drawn in, and the person is notified why",
          "[interrupted]") {
    const test::Scratch scratch;
    StripSession own;
    Session& session = own.session;
    own.merge();
    own.arrive(scratch);
    session.standpoint.set_stage(Stage::mend);
    session.standpoint.set_source(session.document.id_at(kInterruptedFrames));
    wait_until([&] { return session.brushwork.is_settled(); });
    CHECK(session.brushwork.why_not().contains("came after this merge"));
    session.brushwork.begin_stroke({60, 60});
    session.brushwork.end_stroke();
    CHECK(session.standpoint.result()->strokes.empty());
    CHECK(own.errors.join(' ').contains("Frame 7"));
    // The frame itself is looked at as what it is: laid over nothing.
    session.standpoint.set_frame(session.document.id_at(kInterruptedFrames));
    const Shown shown = shown_of(session.document, session.standpoint, session.products, {});
    CHECK(std::holds_alternative<std::monostate>(shown.other));
    // The others still can.
    session.standpoint.set_source(session.document.id_at(1));
    CHECK(session.brushwork.why_not().isEmpty());
}

TEST_CASE("looking that was stopped says so, and goes on when it is asked to", "[interrupted]") {
    StripSession own(false);
    Session& session = own.session;
    session.opening.open({StripSession::files().folder()});
    while_running(session, "profile", [&] { session.jobs.cancel(); });
    wait_until([&] { return !session.jobs.busy(); });
    CHECK_FALSE(session.looking.is_done());
    CHECK(session.looking.is_stopped());
    CHECK(own.notes.join(' ').contains("stopped"));
    session.looking.start();
    CHECK_FALSE(session.looking.is_stopped());
    wait_until([&] { return session.looking.is_done(); });
    // Stopped again, a merge that needs it goes on with it.
    Development brighter;
    brighter.exposure_ev = 0.5;
    session.opening.develop(brighter);
    while_running(session, "profile", [&] { session.jobs.cancel(); });
    wait_until([&] { return session.looking.is_stopped(); });
    own.merge();
    CHECK(session.looking.is_done());
    // Undone, what was known before is known at once.
    session.document.undo();
    CHECK(session.looking.is_done());
}

TEST_CASE("a series that cannot be opened stops nothing for good", "[interrupted]") {
    StripSession own(false);
    Session& session = own.session;
    session.opening.open({StripSession::files().folder()});
    while_running(session, "profile", [&] { session.opening.open({"/heath/nowhere"}); });
    wait_until([&] { return session.looking.is_done(); });
    CHECK(session.document.series().count() == kInterruptedFrames);
    CHECK(own.errors.join(' ').contains("nowhere"));
}

TEST_CASE("a merge that was asked for comes, whatever is decided while the frames are aligned",
          "[interrupted]") {
    StripSession own;
    Session& session = own.session;
    session.merging.merge();
    while_running(session, "align", [&] {
        session.culling.set_used(session.document.id_at(5), false);
        session.culling.set_range({1, 5});
    });
    wait_until([&] { return test::results(session).size() == 1; });
    wait_until([&] { return !session.jobs.busy(); });
    CHECK(session.merging.is_current());
    CHECK(session.standpoint.result()->made_from.frames.size() == 4);
    CHECK(test::results(session).size() == 1);
}

TEST_CASE("asked for while another merge runs, a merge with other settings follows it", "[interrupted]") {
    StripSession own;
    Session& session = own.session;
    session.merging.merge();
    while_running(session, "merge", [&] {
        session.merging.merge();  // the very same: it runs already
        CHECK(own.notes.back().contains("running already"));
        test::set_method(session, "depth");
        session.merging.merge();
        session.merging.merge();  // asked for twice in haste: once
        CHECK(own.notes.back().contains("follows"));
    });
    wait_until([&] { return test::results(session).size() == 2; });
    wait_until([&] { return !session.jobs.busy(); });
    REQUIRE(test::results(session).size() == 2);
    CHECK(test::results(session)[0].made_from.choice.method == "woven");
    CHECK(test::results(session)[1].made_from.choice.method == "depth");
    CHECK(session.merging.is_current());
    // Stopped while one waits, the next is taken as the first.
    test::set_method(session, "pyramid");
    session.merging.merge();
    while_running(session, "merge", [&] {
        test::set_method(session, "blend");
        session.merging.merge();
        session.jobs.cancel();
    });
    wait_until([&] { return !session.jobs.busy(); });
    own.merge();
    CHECK(session.standpoint.result()->made_from.choice.method == "blend");
}

TEST_CASE("a merge that ends while a stroke is drawn keeps the stroke and the result shown",
          "[interrupted]") {
    StripSession own;
    Session& session = own.session;
    own.merge();
    const ResultId first = session.standpoint.result()->id;
    session.standpoint.set_stage(Stage::mend);
    session.standpoint.set_source(session.document.id_at(1));
    session.standpoint.set_brush({10, 0, 1});
    test::set_method(session, "blend");
    session.merging.merge();
    session.brushwork.begin_stroke({60, 60});
    wait_until([&] { return test::results(session).size() == 2 && !session.jobs.busy(); });
    CHECK(session.standpoint.result()->id == first);
    CHECK(own.notes.join(' ').contains("is ready"));
    session.brushwork.continue_stroke({90, 60});
    session.brushwork.end_stroke();
    CHECK(session.standpoint.result()->id == first);
    REQUIRE(session.standpoint.result()->strokes.size() == 1);
    CHECK(session.standpoint.result()->strokes[0].points.size() == 2);
    wait_until([&] { return session.brushwork.is_settled(); });
}

TEST_CASE("a late failure of one series says nothing about the frames of the next", "[interrupted]") {
    const test::Scratch scratch;
    StripSession own;
    Session& session = own.session;
    // The same place and name, other files: the first of them is gone.
    Series gone = session.document.series();
    gone.frames[0].path = scratch / "gone.tif";
    const Series there = session.document.series();
    session.document.replace(with_series({}, gone, {}, std::nullopt), facts_of(gone));
    session.jobs.cancel();
    const FrameView view{session.document.id_at(0), nullptr, false, std::nullopt};
    session.store.want({view});
    session.document.replace(with_series({}, there, {}, std::nullopt), facts_of(there));
    wait_until([&] { return !session.store.is_busy(); });
    REQUIRE(session.document.id_at(0) == view.frame);
    session.store.want({view});
    wait_until([&] { return session.store.find(view) != nullptr; });
    wait_until([&] { return !session.jobs.busy(); });
}

TEST_CASE("after a preview that failed the next change is previewed", "[interrupted]") {
    StripSession own;
    Session& session = own.session;
    own.merge();
    session.standpoint.set_stage(Stage::merge);
    session.standpoint.set_whole_ahead(false);
    session.merge_preview.set_view({0, 0, 240, 140});
    wait_until([&] { return session.merge_preview.is_settled(); });
    session.culling.set_range({0, 3});
    session.aligning.align();
    MergeChoice choice = session.merging.choice();
    choice.method = "depth";
    choice.backdrop = session.document.id_at(5);  // not in the range
    session.merging.set_choice(choice, "backdrop");
    wait_until([&] { return own.errors.join(' ').contains("backdrop"); });
    wait_until([&] { return session.merge_preview.is_settled(); });
    CHECK(session.merge_preview.picture() == nullptr);
    choice.backdrop.reset();
    session.merging.set_choice(choice, "backdrop");
    wait_until([&] { return session.merge_preview.picture() != nullptr; });
    // Given up while it reads, it reads again.
    session.culling.set_used(session.document.id_at(2), false);
    session.aligning.align();
    session.merge_preview.set_view({0, 0, 200, 140});
    session.merge_preview.set_view({0, 0, 240, 140});
    session.culling.set_used(session.document.id_at(2), true);
    test::set_method(session, "blend");
    wait_until([&] { return session.merge_preview.is_settled() && session.merge_preview.picture(); });
}

TEST_CASE(
    "what is placed anew after a merge lies beside it, not over it: result, curtain and sounding stay "
    "together",
    "[interrupted]") {
    StripSession own;
    Session& session = own.session;
    own.merge();
    const PlanePtr laid = session.products.plane();
    session.culling.set_reference(session.document.id_at(0));
    session.aligning.align();
    wait_until([&] { return session.products.plane_is_current() && !session.jobs.busy(); });
    REQUIRE(session.products.plane() != laid);
    session.standpoint.set_stage(Stage::mend);
    const Shown shown = shown_of(session.document, session.standpoint, session.products, {});
    CHECK(shown.plane == laid);
    CHECK(std::get<FrameView>(shown.other).plane == laid);
    session.pointing.point_at({100, 70}, true, shown, 40);
    CHECK(session.sounding.plane() == laid);
    wait_until([&] { return session.sounding.is_settled(); });
    CHECK(session.sounding.frame_in_use());
    // In Align the frames lie as they are placed now.
    session.standpoint.set_stage(Stage::align);
    CHECK(shown_of(session.document, session.standpoint, session.products, {}).plane ==
          session.products.plane());
}

TEST_CASE("results that are walked through are not all rendered, and pictures keep within their budget",
          "[interrupted]") {
    StripSession own;
    Session& session = own.session;
    own.merge();
    // Ten results, as if they had been merged one after the other.
    const MergeProduct product = *session.products.merge(session.standpoint.result()->id);
    for (int i = 0; i < 9; ++i) {
        ProjectResult more = *session.standpoint.result();
        more.id = session.document.next_result_id();
        session.products.keep_merge(more.id, product);
        session.document.happened([&](const Project& project) { return with_result(project, more); });
    }
    REQUIRE(test::results(session).size() == 10);
    const std::size_t one = std::size_t(product.result->area.area()) * 16 / 3;
    session.store.set_budget(3 * one);
    int shown = 0;
    QObject::connect(&session.mended_display, &MendedDisplay::changed, &session.mended_display,
                     [&] { shown += session.mended_display.picture() != nullptr; });
    for (const ProjectResult& result : test::results(session)) session.standpoint.set_result(result.id);
    wait_until([&] { return session.brushwork.is_settled(); });
    CHECK(shown <= 3);  // the last, and what was under way or there already
    for (const ProjectResult& result : test::results(session)) {
        session.standpoint.set_result(result.id);
        wait_until([&] { return session.brushwork.is_settled(); });
        CHECK(session.store.bytes() <= 3 * one);
    }
}

TEST_CASE("exporting waits for no rendering, and what is painted meanwhile counts as not saved",
          "[interrupted]") {
    const test::Scratch scratch;
    StripSession own;
    Session& session = own.session;
    own.merge();
    session.standpoint.set_stage(Stage::mend);
    session.standpoint.set_source(session.document.id_at(1));
    session.standpoint.set_brush({20, 0.5, 1});
    session.brushwork.begin_stroke({60, 60});
    session.brushwork.end_stroke();
    const QString file = QString::fromStdString((scratch / "heath.tif").string());
    session.exporter.save(file, Output{}, false);  // at once
    const Picture as_it_was = test::mended_shown(session);
    session.brushwork.begin_stroke({90, 60});
    session.brushwork.end_stroke();
    wait_until([&] { return QFileInfo::exists(file) && !session.exports.busy(); });
    CHECK(own.errors.isEmpty());
    CHECK(cv::norm(read_picture(file.toStdString()).pixels, as_it_was.pixels, cv::NORM_INF) == 0);
    CHECK(test::has_unsaved(session));
    session.document.undo();
    CHECK_FALSE(test::has_unsaved(session));
}

TEST_CASE("a large stroke goes to the screen in pieces, and all of it gets there", "[interrupted]") {
    const test::Scratch scratch;
    std::vector<Picture> pictures(3);
    for (Picture& picture : pictures) {
        picture.pixels = cv::Mat(1000, 1600, CV_16UC3);
        cv::randu(picture.pixels, 0, 65535);
    }
    test::write_series(scratch, pictures);
    StripSession own(false);
    Session& session = own.session;
    session.opening.open({scratch.folder()});
    wait_until([&] { return session.looking.is_done() && !session.jobs.busy(); });
    Placing placing;
    placing.as_they_lie = true;
    session.aligning.set_placing(placing, "as they lie");
    test::set_method(session, "blend");
    own.merge();
    session.standpoint.set_stage(Stage::mend);
    session.standpoint.set_source(session.document.id_at(0));
    session.standpoint.set_brush({2000, 0, 1});
    int pieces = 0;
    double largest = 0;
    QObject::connect(&session.mended_display, &MendedDisplay::area_changed, &session.mended_display,
                     [&](QRect area) {
                         ++pieces;
                         largest = std::max(largest, double(area.width()) * area.height());
                     });
    session.brushwork.begin_stroke({800, 500});
    session.brushwork.end_stroke();
    wait_until([&] { return session.brushwork.is_settled(); });
    CHECK(pieces > 1);
    CHECK(largest <= 1024 * 1024);
    const cv::Mat4b whole = to_display(test::mended_shown(session), {});
    const QImage& seen = session.mended_display.picture()->levels().front();
    REQUIRE(seen.size() == QSize(whole.cols, whole.rows));
    int off = 0;
    for (int y = 0; y < whole.rows; y += 13)
        for (int x = 0; x < whole.cols; x += 17)
            off = std::max(off, std::abs(qGreen(seen.pixel(x, y)) - int(whole(y, x)[1])));
    CHECK(off == 0);
}

TEST_CASE("another series drops what was asked for of the former, and nothing of it comes later",
          "[interrupted]") {
    StripSession own;
    Session& session = own.session;
    session.merging.merge();
    while_running(session, "align", [&] { session.opening.open({StripSession::files().folder()}); });
    wait_until([&] { return session.looking.is_done() && !session.jobs.busy(); });
    QTest::qWait(50);
    CHECK(test::results(session).empty());
    CHECK_FALSE(session.products.plane());
    own.merge();
    CHECK(test::results(session).size() == 1);
}

TEST_CASE("undo while a merge runs takes back the step, not the merge", "[interrupted]") {
    StripSession own;
    Session& session = own.session;
    session.culling.set_range({1, 5});
    session.merging.merge();
    while_running(session, "merge", [&] { session.document.undo(); });
    wait_until([&] { return test::results(session).size() == 1 && !session.jobs.busy(); });
    CHECK(session.document.series().range == FrameRange{0, kInterruptedFrames - 1});
    CHECK_FALSE(session.merging.is_current());
    CHECK(session.standpoint.result()->made_from.frames.size() == 5);
    session.document.redo();
    CHECK(session.merging.is_current());
}

TEST_CASE("frames that are put in another order are counted as they lie now, whatever was made before",
          "[interrupted]") {
    StripSession own;
    Session& session = own.session;
    own.merge();
    const FrameId first = session.document.id_at(0);
    session.culling.turn_round();
    wait_until([&] { return session.looking.is_done() && !session.jobs.busy(); });
    const PlanePtr plane = session.products.merge(test::results(session)[0].id)->plane;
    session.standpoint.set_stage(Stage::mend);
    session.sounding.drop({20, 60}, 21, plane);
    wait_until([&] { return session.sounding.is_settled() && !session.sounding.patches().empty(); });
    for (const Sounding::Patch& patch : session.sounding.patches())
        CHECK(patch.number == session.document.place(patch.frame) + 1);
    CHECK(session.document.place(first) == kInterruptedFrames - 1);
}

TEST_CASE("a source that a person picks while the sounding is loading stays", "[interrupted]") {
    StripSession own;
    Session& session = own.session;
    own.merge();
    session.standpoint.set_stage(Stage::mend);
    const Shown shown = shown_of(session.document, session.standpoint, session.products, {});
    session.pointing.point_at({20, 60}, false, shown, 21);
    REQUIRE_FALSE(session.sounding.is_settled());
    const FrameId picked = session.document.id_at(kInterruptedFrames - 1);
    session.standpoint.set_source(picked);  // from the tray, without the panel
    wait_until([&] { return session.sounding.is_settled(); });
    CHECK(session.standpoint.source() == picked);
}

TEST_CASE("a card that is opened while a set runs is listed when the set has ended", "[interrupted]") {
    const test::Scratch scratch, other;
    test::write_series(other, test::edge_series({240, 140}, 4));
    StripSession own;
    Session& session = own.session;
    session.set_run.make_recipe();
    session.set_run.set_out(QString::fromStdString(scratch.folder().string()));
    const QString before = session.set_list.entries()[0].name;
    session.set_run.start(2000);
    session.opening.open({other.folder()});
    wait_until([&] { return session.document.series().count() == 4; });
    CHECK(session.set_list.entries()[0].name == before);  // the list is the run's
    wait_until([&] { return !session.set_run.is_running() && session.looking.is_done(); });
    wait_until([&] { return session.set_list.entries()[0].frames == 4; });
    CHECK(session.set_run.state().contains("done"));  // how the run went is still said
}
