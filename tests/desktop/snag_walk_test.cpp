// SPDX-License-Identifier: GPL-3.0-or-later
// The walk through doubtful places, without a window and in it, interrupted and to its end.
#include <QProcess>
#include <QSignalSpy>
#include <nlohmann/json.hpp>

#include <fstream>

#include "core/project/edits.h"
#include "core/project/project_folder.h"
#include "desktop/view/main_window.h"
#include "desktop/view/picture_view.h"
#include "desktop/view/row_list.h"
#include "tests/desktop/strips.h"

using namespace moorhaze;
using namespace moorhaze::desktop;
using test::wait_until;

namespace {

/// A merged series with an edge in depth, in Cull still.
struct EdgeSession : test::StripSession {
    EdgeSession() : StripSession(false) {
        session.opening.open({test::edge_files().folder()});
        wait_until([&] { return session.looking.is_done() && !session.jobs.busy(); });
        merge();
    }
    void go_to_mend() {
        session.standpoint.set_stage(Stage::mend);
        wait_until([&] { return session.snag_walk.is_known() && session.brushwork.is_settled(); });
    }
    void paint(cv::Point place) {
        Brush brush = session.standpoint.brush();
        brush.flow = 0.8;
        session.standpoint.set_brush(brush);
        session.standpoint.set_source(session.document.id_at(kFrames - 1));
        session.brushwork.begin_stroke({double(place.x), double(place.y)});
        session.brushwork.end_stroke();
        wait_until([&] { return session.brushwork.is_settled(); });
    }
};

}  // namespace

TEST_CASE("entering Mend finds the places where the edge in depth is wrong", "[desktop][snags]") {
    EdgeSession own;
    SnagWalk& walk = own.session.snag_walk;
    CHECK_FALSE(walk.is_known());
    CHECK(walk.why_not().isEmpty() == false);
    own.go_to_mend();
    REQUIRE(!walk.snags().empty());
    CHECK(walk.left() == int(walk.snags().size()));
    CHECK_FALSE(walk.current());
    const PixelRect& first = walk.snags()[0].snag.area;
    CHECK(first.x < 120 + 24);
    CHECK(first.x + first.width > 120 - 24);
}

TEST_CASE("what nobody sees in the sizes that are handed over is not listed", "[desktop][snags]") {
    EdgeSession own;
    own.go_to_mend();
    SnagWalk& walk = own.session.snag_walk;
    const auto all = int(walk.snags().size());
    CHECK(walk.unseen() == 0);
    const auto hand_over_at = [&](std::vector<double> percent) {
        HandOver hand_over = own.session.document.project().hand_over;
        hand_over.outputs.clear();
        for (const double size : percent) {
            Output output;
            output.size = {SizeWish::percent, size};
            hand_over.outputs.push_back(output);
        }
        own.session.document.edit("sizes", with_hand_over(own.session.document.project(), hand_over));
    };
    walk.go_to(0);
    const Snag stood_at = walk.snags()[0].snag;
    hand_over_at({12.5});
    int seen = 0;
    own.session.document.undo();
    for (const WalkedSnag& each : walk.snags()) seen += strength_at(each.snag, 0.125) >= kSeenStrength;
    own.session.document.redo();
    CHECK(int(walk.snags().size()) == seen);
    CHECK(seen < all);
    CHECK(walk.unseen() == all - seen);
    for (const WalkedSnag& each : walk.snags()) CHECK(each.strength == strength_at(each.snag, 0.125));
    if (walk.current()) CHECK(walk.snags()[std::size_t(*walk.current())].snag == stood_at);
    hand_over_at({12.5, 100});  // the largest counts
    CHECK(int(walk.snags().size()) == all);
    own.session.document.undo();
    own.session.document.undo();
    CHECK(int(walk.snags().size()) == all);
}

TEST_CASE("the walk goes through what is left, round and back, and past what is ignored",
          "[desktop][snags]") {
    EdgeSession own;
    own.go_to_mend();
    SnagWalk& walk = own.session.snag_walk;
    const int count = int(walk.snags().size());
    REQUIRE(count >= 2);
    QSignalSpy visited(&walk, &SnagWalk::visited);
    walk.next();
    CHECK(walk.current() == 0);
    REQUIRE(visited.size() == 1);
    CHECK(visited[0][0].toRectF().contains(visited[0][1].toPointF()));
    walk.ignore_current();
    CHECK(walk.left() == count - 1);
    CHECK(walk.current() == 0);  // the person still stands there
    // It is a decision like any other: undone, and kept with the project.
    REQUIRE(own.session.standpoint.result()->ignored.size() == 1);
    own.session.document.undo();
    CHECK(walk.left() == count);
    own.session.document.redo();
    CHECK(walk.left() == count - 1);
    for (int i = 0; i < count - 1; ++i) walk.next();
    CHECK(walk.current() == count - 1);
    walk.next();
    CHECK(walk.current() == 1);
    walk.previous();
    CHECK(walk.current() == count - 1);
    walk.go_to(0);
    walk.ignore_current();  // taken back
    CHECK(walk.left() == count);
    walk.go_to(99);
    CHECK(walk.current() == 0);
    for (int i = 0; i < count; ++i) {
        walk.go_to(i);
        walk.ignore_current();
    }
    CHECK(walk.left() == 0);
    walk.next();
    CHECK(own.notes.join(' ').contains("painted or ignored"));
}

TEST_CASE("a place that was painted is left no more, undo brings it back", "[desktop][snags]") {
    EdgeSession own;
    own.go_to_mend();
    SnagWalk& walk = own.session.snag_walk;
    const int count = int(walk.snags().size());
    walk.next();
    own.paint(walk.snags()[0].snag.place);
    CHECK(walk.snags()[0].painted);
    CHECK(walk.left() < count);
    CHECK(walk.current() == 0);
    own.session.document.undo();
    CHECK(walk.left() == count);
}

TEST_CASE("looking again looks at what was painted, and counts later strokes only", "[desktop][snags]") {
    EdgeSession own;
    own.go_to_mend();
    SnagWalk& walk = own.session.snag_walk;
    CHECK_FALSE(walk.can_look_again());
    const Snag before = walk.snags()[0].snag;
    Brush brush = own.session.standpoint.brush();
    brush.radius_px = 30, brush.softness = 0;
    own.session.standpoint.set_brush(brush);
    own.paint(before.place);
    CHECK(walk.can_look_again());
    walk.look_again();
    CHECK(walk.is_looking());
    wait_until([&] { return walk.is_settled(); });
    CHECK_FALSE(walk.can_look_again());
    CHECK(walk.left() == int(walk.snags().size()));  // none is hidden by the stroke that was looked at
    for (const WalkedSnag& snag : walk.snags())
        CHECK((snag.snag.place != before.place || snag.snag.strength < before.strength));
    // Without the stroke it is another picture.
    own.session.document.undo();
    CHECK(walk.can_look_again());
    walk.look_again();
    wait_until([&] { return walk.is_settled(); });
    CHECK(walk.snags()[0].snag == before);
}

TEST_CASE("leaving Mend while places are looked for asks for nothing, entering again finds them",
          "[interrupted][snags]") {
    EdgeSession own;
    SnagWalk& walk = own.session.snag_walk;
    own.session.standpoint.set_stage(Stage::mend);
    CHECK(walk.is_looking());
    own.session.standpoint.set_stage(Stage::merge);
    CHECK_FALSE(walk.is_looking());
    own.go_to_mend();
    CHECK(!walk.snags().empty());
}

TEST_CASE("another result has its own places, and the first one's are kept with what was ignored",
          "[interrupted][snags]") {
    EdgeSession own;
    own.go_to_mend();
    SnagWalk& walk = own.session.snag_walk;
    const auto first = own.session.standpoint.result()->id;
    const int count = int(walk.snags().size());
    walk.next();
    walk.ignore_current();
    MergeChoice choice = own.session.document.project().merge;
    choice.method = "depth";
    own.session.merging.set_choice(choice, "method");
    own.merge();
    wait_until([&] { return walk.is_known(); });
    CHECK(own.session.standpoint.result()->id != first);
    CHECK(std::none_of(walk.snags().begin(), walk.snags().end(),
                       [](const auto& snag) { return snag.ignored; }));
    CHECK_FALSE(walk.current());
    own.session.standpoint.set_result(first);
    CHECK(walk.is_known());
    CHECK(int(walk.snags().size()) == count);
    CHECK(walk.left() == count - 1);
}

TEST_CASE("frames that cannot be read any more keep no places from being told why", "[interrupted][snags]") {
    const test::Scratch scratch;
    test::write_series(scratch, test::edge_series({240, 140}, 4));
    test::StripSession own(false);
    own.session.opening.open({scratch.folder()});
    wait_until([&] { return own.session.looking.is_done() && !own.session.jobs.busy(); });
    own.merge();
    for (const Frame& frame : own.session.document.series().frames) std::filesystem::remove(frame.path);
    own.session.standpoint.set_stage(Stage::mend);
    SnagWalk& walk = own.session.snag_walk;
    wait_until([&] { return walk.is_settled(); });
    CHECK_FALSE(walk.is_known());
    CHECK(walk.problem().contains("frame-0"));
    walk.next();
    CHECK(own.notes.join(' ').contains("frame-0"));
}

TEST_CASE("in the window N goes to the next place, shows it close with its sounding, and the list follows",
          "[window][snags]") {
    MainWindow main;
    main.resize(1280, 800);
    main.show();
    main.open_paths({QString::fromStdString(test::edge_files().folder().string())});
    Session& session = main.session();
    wait_until([&] { return session.looking.is_done() && main.is_settled(); });
    session.merging.merge();
    wait_until([&] { return session.standpoint.result() && main.is_settled(); });
    session.standpoint.set_stage(Stage::mend);
    wait_until([&] { return session.snag_walk.is_known() && main.is_settled(); });
    auto* list = main.findChild<RowList*>("snagList");
    REQUIRE(list);
    int plain = 0;
    for (const WalkedSnag& own : session.snag_walk.snags()) plain += own.is_plain();
    CHECK(session.snag_walk.plain_left() == plain);
    for (int row = 0; row < list->count(); ++row)
        CHECK(list->row(row).words.contains("slight") ==
              !session.snag_walk.snags()[std::size_t(row)].is_plain());
    CHECK(list->count() == int(session.snag_walk.snags().size()));
    QTest::keyClick(&main, Qt::Key_N);
    REQUIRE(session.snag_walk.current() == 0);
    // In another order one still stands at the same place, and the list shows it.
    session.snag_walk.go_to(int(session.snag_walk.snags().size()) - 1);
    const Snag stood_at = session.snag_walk.snags().back().snag;
    session.snag_walk.set_by_nearness(true);
    REQUIRE(session.snag_walk.current());
    CHECK(session.snag_walk.snags()[std::size_t(*session.snag_walk.current())].snag == stood_at);
    session.snag_walk.set_by_nearness(false);
    CHECK(session.snag_walk.current() == int(session.snag_walk.snags().size()) - 1);
    session.snag_walk.go_to(0);
    wait_until([&] { return main.is_settled(); });
    CHECK(list->current() == 0);
    CHECK(session.sounding.is_open());
    PictureView& view = main.picture_view();
    const cv::Point place = session.snag_walk.snags()[0].snag.place;
    CHECK(view.rect().contains(view.to_widget(QPointF(place.x, place.y)).toPoint()));
    CHECK(view.zoom() >= 0.5);
    // What the sounding finds sharpest there is ready to be drawn in.
    CHECK(session.standpoint.source().has_value());
    // The corners are drawn round it.
    const PixelRect& area = session.snag_walk.snags()[0].snag.area;
    const QPointF corner = view.to_widget(QPointF(area.x - 0.5, area.y - 0.5)) - QPointF(6, 6);
    if (view.rect().contains(corner.toPoint())) {
        const QColor ink = view.grab().toImage().pixelColor((corner + QPointF(3, 0)).toPoint());
        CHECK(ink.red() > ink.blue() + 40);  // gorse
    }
    if (list->count() > 1) {
        QTest::mouseClick(list->viewport(), Qt::LeftButton, {},
                          list->visualRect(list->model()->index(1, 0)).center());
        CHECK(session.snag_walk.current() == 1);
    }
    QTest::keyClick(&main, Qt::Key_I);
    CHECK(session.snag_walk.left() == list->count() - 1);
}

TEST_CASE("the command line finds the places of a kept project that the window finds", "[kept][snags]") {
    const test::Scratch scratch;
    std::filesystem::path file;
    std::vector<Snag> found;
    PixelRect area;
    {
        EdgeSession own;
        own.session.autosave.set_folder(scratch.folder());
        own.session.opening.open({test::edge_files().folder()});
        wait_until([&] { return own.session.looking.is_done() && !own.session.jobs.busy(); });
        own.merge();
        own.go_to_mend();
        for (const WalkedSnag& snag : own.session.snag_walk.snags()) found.push_back(snag.snag);
        own.paint(found[0].place);
        area = own.session.products.merge(own.session.standpoint.result()->id)->result->area;
        wait_until(
            [&] { return own.session.autosave.is_settled() && own.session.autosave.keeper()->is_saved(); });
        file = own.session.autosave.keeper()->file();
    }
    const auto report = scratch / "snags.json";
    QProcess process;
    process.start(QStringLiteral(MOORHAZE_CLI),
                  {"mend", QString::fromStdString(file.string()), "--snags", "--report",
                   QString::fromStdString(report.string()), "--quiet"});
    REQUIRE(process.waitForFinished(120'000));
    INFO(process.readAllStandardError().toStdString());
    REQUIRE(process.exitCode() == 0);
    CHECK(process.readAllStandardOutput().count('\n') == int(found.size()));
    std::ifstream stream(report);
    const auto json = nlohmann::json::parse(stream);
    REQUIRE(json["snags"].size() == found.size());
    for (std::size_t i = 0; i < found.size(); ++i) {
        CHECK(json["snags"][i]["kind"] == name_of(found[i].kind));
        CHECK(json["snags"][i]["x"] == found[i].place.x);
        CHECK(json["snags"][i]["strength"].get<double>() == Approx(found[i].strength));
    }
    CHECK(json["snags"][0]["painted"] == true);
    // What was painted, as a mask of the merge's size.
    const auto mask = scratch / "mask.png";
    const QStringList asks{"mend", QString::fromStdString(file.string()), "--mask",
                           QString::fromStdString(mask.string())};
    process.start(QStringLiteral(MOORHAZE_CLI), asks);
    REQUIRE(process.waitForFinished(60'000));
    REQUIRE(process.exitCode() == 0);
    const Picture painted = read_picture(mask);
    CHECK(painted.pixels.size() == area.size());
    CHECK(painted.pixels.at<cv::Vec3b>(found[0].place - area.tl())[0] == Approx(0.8 * 255).margin(1));
    CHECK(cv::mean(painted.pixels)[0] < 40);
    process.start(QStringLiteral(MOORHAZE_CLI), asks);
    REQUIRE(process.waitForFinished(60'000));
    CHECK(process.exitCode() != 0);  // it is there already
    process.start(QStringLiteral(MOORHAZE_CLI),
                  {"mend", QString::fromStdString(file.string()), "--snags", "--result", "7"});
    REQUIRE(process.waitForFinished(60'000));
    CHECK(process.exitCode() == 2);
    CHECK(process.readAllStandardError().contains("--result 7"));
}
