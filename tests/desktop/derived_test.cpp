// SPDX-License-Identifier: GPL-3.0-or-later
// What is computed for the eye is what is true, whatever interrupts its making.
#include "desktop/session/work/derived.h"

#include "desktop/session/document/settling.h"

#include <QSignalSpy>
#include <atomic>

#include "tests/desktop/strips.h"

using namespace moorhaze;
using namespace moorhaze::desktop;
using test::StripSession;
using test::wait_until;

namespace {

/// A row whose work waits until the test lets it go, made from a number that the test sets.
struct Gated {
    explicit Gated(std::function<bool(const int&, const int&)> serves = {},
                   LatestWish::Replaced replaced = LatestWish::Replaced::stops)
        : row({.name = "gated",
               .inputs = [this]() -> tl::expected<int, Why> {
                   if (why) return tl::unexpected(*why);
                   return input;
               },
               .make =
                   [this](const int& in, const Job& job) {
                       ++begun;
                       while (!open && !job.stop.stop_requested())
                           std::this_thread::sleep_for(std::chrono::milliseconds(1));
                       job.checkpoint();
                       if (in == 13) throw BadParameter("thirteen cannot be made");
                       return 10 * in;
                   },
               .serves = std::move(serves),
               .replaced = replaced,
               .most_kept = 2,
               .may_come_back = [this](const int& in) { return in < forgotten_from; }},
              table) {
        QObject::connect(&settling, &Settling::settled, &table, &DerivedTable::follow);
    }

    Settling settling;
    DerivedTable table;
    std::optional<Why> why;
    int input = 1, forgotten_from = 100;
    std::atomic<bool> open = false;
    std::atomic<int> begun = 0;
    Derived<int, int> row;  ///< the first to go

    void settle_at(int now) {
        input = now;
        Settling::Step step(settling);
        step.note_aspect(Standpoint::Aspect::stage);
    }
    void finish() {
        open = true;
        wait_until([&] { return row.is_settled(); });
    }
};

/// What the person sees of every row, in few numbers.
std::map<std::string, double> seen_of(Session& session) {
    std::map<std::string, double> seen;
    const auto add = [&](const char* name, const std::shared_ptr<const DisplayPicture>& picture) {
        if (!picture) return;
        const QImage& image = picture->levels()[0];
        double sum = picture->origin().x() + 7.0 * picture->origin().y();
        for (int y = 0; y < image.height(); ++y)
            for (int x = 0; x < image.width(); ++x)
                sum += double(image.pixel(x, y) & 0xffffff) * ((31 * x + 17 * y) % 101 + 1);
        seen[name] = sum;
    };
    add("quick merge", session.quick_look.picture());
    add("look at the result", session.result_look.shown());
    add("look-ahead", session.merge_preview.picture());
    add("finished", session.finish_look.picture());
    add("finished in view", session.finish_look.patch());
    add("before", session.finish_look.before());
    add("views over each other", session.views_look.picture());
    add("mended", session.mended_display.picture());
    double sounded = 0;
    for (const Sounding::Patch& patch : session.sounding.patches())
        sounded += patch.number * (1 + double(patch.share)) + patch.image.pixelColor(1, 1).green();
    for (const Sounding::ResultPatch& patch : session.sounding.results())
        sounded += 7 * patch.image.pixelColor(1, 1).green();
    if (session.sounding.is_open()) seen["sounding"] = sounded;
    double snags = 0;
    for (const WalkedSnag& own : session.snag_walk.snags())
        snags += own.snag.place.x + 3.0 * own.snag.place.y;
    if (session.snag_walk.is_known()) seen["snags"] = snags;
    return seen;
}

bool is_settled(const Session& session) {
    const auto& rows = session.derived.rows();
    return !session.jobs.busy() && session.looking.is_done() && session.brushwork.is_settled() &&
           session.result_reader.is_settled() && session.merge_preview.is_settled() &&
           session.finish_look.is_settled() &&
           std::all_of(rows.begin(), rows.end(), [](const DerivedRow* row) { return row->is_settled(); });
}

void settle(Session& session) {
    int quiet = 0;
    wait_until([&] {
        quiet = is_settled(session) ? quiet + 1 : 0;
        return quiet > 5;
    });
}

}  // namespace

TEST_CASE("a derived value is taken only where its inputs are today's", "[desktop][derived]") {
    Gated own;
    QSignalSpy changed(&own.row, &DerivedRow::changed);
    CHECK(own.row.state() == DerivedState::absent);
    own.settle_at(1);
    CHECK(own.row.state() == DerivedState::under_way);
    own.settle_at(2);
    own.finish();
    CHECK(own.row.state() == DerivedState::current);
    CHECK(*own.row.value() == 20);
    CHECK(*own.row.made_from() == 2);
    // What it is made from changed without a word before the answer came: the answer is not taken.
    own.open = false;
    own.settle_at(3);
    wait_until([&] { return own.begun == 3; });
    own.input = 4;
    own.finish();
    CHECK(*own.row.value() == 40);
    const int before = int(changed.size());
    own.settle_at(4);
    CHECK(changed.size() == before);  // nothing is made of the same twice
    CHECK(own.begun == 4);
}

TEST_CASE("what cannot be made is said once and made again for other inputs", "[desktop][derived]") {
    Gated own;
    own.open = true;
    QSignalSpy failed(&own.table, &DerivedTable::failed);
    own.settle_at(13);
    own.finish();
    CHECK(own.row.state() == DerivedState::failed);
    CHECK(own.row.why() == "thirteen cannot be made");
    CHECK(own.row.value() == nullptr);
    own.settle_at(13);
    own.finish();
    CHECK(failed.size() == 1);
    CHECK(own.begun == 1);
    own.settle_at(5);
    own.finish();
    CHECK(*own.row.value() == 50);
    CHECK(own.row.why().isEmpty());
    own.why = Why{"not now"};
    own.settle_at(5);
    CHECK(own.row.state() == DerivedState::absent);
    CHECK(own.row.why() == "not now");
    CHECK(own.row.value() == nullptr);
}

TEST_CASE("a value of other inputs is shown only where it serves, and is called stale",
          "[desktop][derived]") {
    // Of one ten: like pictures of one result.
    Gated own([](const int& made_from, const int& today) { return made_from / 10 == today / 10; });
    own.open = true;
    own.settle_at(1);
    own.finish();
    own.open = false;
    own.settle_at(2);
    CHECK(own.row.state() == DerivedState::stale);
    CHECK(*own.row.value() == 10);
    own.settle_at(20);
    CHECK(own.row.state() == DerivedState::under_way);
    CHECK(own.row.value() == nullptr);
    own.finish();
    CHECK(*own.row.value() == 200);
    // While its inputs are being made themselves it stays, if it may come back.
    own.why = Why{"in a moment", true};
    own.settle_at(20);
    CHECK(own.row.state() == DerivedState::stale);
    CHECK_FALSE(own.row.is_settled());
    own.forgotten_from = 10;
    own.settle_at(20);
    CHECK(own.row.state() == DerivedState::under_way);
    CHECK(own.row.value() == nullptr);
}

TEST_CASE("what was made may come back without being made again, until it is forgotten",
          "[desktop][derived]") {
    Gated own;
    own.open = true;
    for (const int input : {1, 2, 1}) {
        own.settle_at(input);
        own.finish();
    }
    CHECK(own.begun == 2);
    CHECK(*own.row.value() == 10);
    own.forgotten_from = 1;
    own.settle_at(3);
    own.finish();
    CHECK_FALSE(own.row.knows(1));
    own.settle_at(1);
    own.finish();
    CHECK(own.begun == 4);
    own.row.make_again();
    own.finish();
    CHECK(own.begun == 5);
}

TEST_CASE("a moving hand sees something before it rests, and never what is older than what it has",
          "[desktop][derived]") {
    Gated own([](const int&, const int&) { return true; }, LatestWish::Replaced::comes_to_its_end);
    own.settle_at(1);
    wait_until([&] { return own.begun == 1; });
    own.settle_at(2);
    own.settle_at(3);
    own.open = true;
    wait_until([&] { return own.row.value() != nullptr; });
    CHECK((*own.row.value() == 10 || *own.row.value() == 30));
    own.finish();
    CHECK(*own.row.value() == 30);
    CHECK(own.begun == 2);  // the one between was wanted by nobody
}

TEST_CASE("what is large is let go of as soon as it is looked at no longer", "[desktop][derived]") {
    StripSession own;
    own.merge();
    own.session.standpoint.set_stage(Stage::finish);
    settle(own.session);
    const std::weak_ptr<const FinishSubject> subject = own.session.finish_look.subject();
    REQUIRE_FALSE(subject.expired());
    own.session.standpoint.set_stage(Stage::merge);
    settle(own.session);
    CHECK(subject.expired());
}

TEST_CASE("parts of a value are seen while the rest is made, and only of today's inputs",
          "[desktop][derived]") {
    Settling settling;
    DerivedTable table;
    int input = 1;
    std::atomic<int> may_make = 1;
    Derived<int, int> row(
        {.name = "in parts",
         .inputs = [&]() -> tl::expected<int, Why> { return input; },
         .make_in_parts =
             [&](const int& in, const Job& job, const std::function<void(const int&)>& so_far) {
                 for (int part = 1; part <= 3; ++part) {
                     while (may_make < part) {
                         job.checkpoint();
                         std::this_thread::sleep_for(std::chrono::milliseconds(1));
                     }
                     so_far(10 * in + part);
                 }
                 return 10 * in;
             },
         .may_come_back = [](const int&) { return true; }},
        table);
    QObject::connect(&settling, &Settling::settled, &table, &DerivedTable::follow);
    row.follow();
    CHECK(row.state() == DerivedState::under_way);
    wait_until([&] { return row.value() != nullptr; });
    CHECK(*row.value() == 11);
    CHECK(row.state() == DerivedState::stale);
    // Other inputs before it is whole: its parts are not shown for them, nor taken for the whole later.
    input = 2;
    row.follow();
    CHECK_FALSE(row.value());
    may_make = 2;
    wait_until([&] { return row.value() && *row.value() == 22; });
    CHECK(row.state() == DerivedState::stale);
    input = 1;
    row.follow();
    CHECK_FALSE(row.value());
    may_make = 3;
    wait_until([&] { return row.is_settled(); });
    CHECK(row.state() == DerivedState::current);
    CHECK(*row.value() == 10);
    CHECK(row.knows(1));
    CHECK_FALSE(row.knows(2));
}

TEST_CASE("whatever interrupts it, what is shown equals what is computed afresh", "[desktop][derived]") {
    StripSession own;
    Session& session = own.session;
    session.standpoint.set_whole_ahead(false);
    own.merge();
    using Step = std::function<void()>;
    const std::vector<std::pair<const char*, Step>> stages{
        {"cull",
         [&] {
             session.standpoint.set_stage(Stage::cull);
             session.standpoint.set_quick_look(true);
         }},
        {"merge",
         [&] {
             session.standpoint.set_stage(Stage::merge);
             session.standpoint.set_look(LookAt::depth);
             session.merge_preview.set_view({10, 10, 200, 100});
         }},
        {"mend",
         [&] {
             session.standpoint.set_stage(Stage::mend);
             session.standpoint.set_shows_painted(true);
             const MergeProduct* product = session.standpoint.result()
                                               ? session.products.merge(session.standpoint.result()->id)
                                               : nullptr;
             if (product) session.sounding.drop({60, 50}, 21, product->plane);
         }},
        {"finish", [&] {
             session.standpoint.set_stage(Stage::finish);
             session.finish_look.set_view({0, 0, 200, 120}, 1);
             session.finishing.change("exposure", [](Finish& finish) { finish.light.exposure_ev += 0.1; });
         }}};
    const auto paint = [&] {
        if (const ProjectResult* result = session.standpoint.result()) {
            Stroke stroke;
            stroke.source = session.document.id_at(result->strokes.size() % 2);
            stroke.points = {{60.0 + 9 * result->strokes.size(), 50, 1}};
            session.document.edit("stroke", with_stroke(session.document.project(), result->id, stroke));
        }
    };
    bool other = false;
    const std::vector<std::pair<const char*, Step>> interruptions{
        {"an edit", paint},
        {"several edits",
         [&] {
             session.culling.set_range({0, 4});
             test::set_method(session, session.merging.choice().method == "depth" ? "blend" : "depth");
             session.finishing.change("turn", [](Finish& finish) { finish.framing.turn_deg += 2; });
             paint();
         }},
        {"undo", [&] { session.document.undo(); }},
        {"everything asked for is stopped", [&] { session.jobs.cancel(); }},
        {"a failure",
         [&] {
             session.finishing.change("a crop outside", [](Finish& finish) {
                 finish.framing.crop = PixelRect(10'000, 10'000, 5, 5);
             });
         }},
        {"it is mended", [&] { session.document.undo(); }},
        {"another document with the same ids", [&] {
             other = !other;
             session.opening.open({other ? test::edge_files().folder() : StripSession::files().folder()});
             wait_until([&] { return session.looking.is_done() && !session.jobs.busy(); });
             own.merge();
         }}};
    int turn = 0;
    for (const auto& [stage, enter] : stages)
        for (const auto& [what, interrupt] : interruptions) {
            const int wait_ms = ++turn % 2 * 12;
            INFO(stage << ", " << what << " after " << wait_ms << " ms");
            enter();
            QTest::qWait(wait_ms);  // rows are at different points of their work
            interrupt();
            enter();
            settle(session);
            auto shown = seen_of(session);
            if (std::string(what) != "a failure") CHECK_FALSE(shown.empty());
            // Elsewhere than in Mend they are known, but not looked for.
            if (std::string(stage) != "mend") shown.erase("snags");
            for (DerivedRow* row : session.derived.rows()) {
                INFO(row->name().toStdString());
                CHECK((row->state() == DerivedState::absent || row->state() == DerivedState::current ||
                       row->state() == DerivedState::failed));
            }
            for (DerivedRow* row : session.derived.rows()) row->make_again();
            settle(session);
            CHECK(seen_of(session) == shown);
        }
}
