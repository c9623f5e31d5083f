// SPDX-License-Identifier: GPL-3.0-or-later
// What the picture area shows follows from what there is: without a window.
#include "desktop/session/shown/shown.h"

#include "tests/desktop/strips.h"

using namespace moorhaze;
using namespace moorhaze::desktop;

namespace {

Shown shown(const Session& session, const Momentary& momentary = {}) {
    return shown_of(session.document, session.standpoint, session.products, momentary);
}

}  // namespace

TEST_CASE("without a series nothing is shown, or live view", "[shown]") {
    const test::StripSession own(false);
    CHECK(shown(own.session) == Shown{});
    CHECK(std::holds_alternative<LivePicture>(shown(own.session, {true, false, false}).main));
    CHECK(wishes_of(shown(own.session), own.session.document).empty());
    CHECK_FALSE(partner_of(own.session.document, own.session.standpoint, own.session.products));
}

TEST_CASE("each stage shows its own picture beside what it is compared with", "[shown]") {
    test::StripSession own;
    Session& session = own.session;
    Standpoint& stand = session.standpoint;
    stand.set_place(3);
    const FrameId frame = session.document.id_at(3);

    CHECK(stand.stage() == Stage::cull);
    CHECK(shown(session).main == ShownPicture(FrameView{frame, nullptr, false, std::nullopt}));
    CHECK(std::holds_alternative<std::monostate>(shown(session).other));
    stand.set_sharp_marks(true);
    CHECK(std::get<FrameView>(shown(session).main).marked);
    // Frames around the one shown are made ready, too, with the same marks; those that are not there are not.
    stand.set_place(0);
    CHECK(wishes_of(shown(session), session.document).size() == 3);
    stand.set_place(3);
    CHECK(wishes_of(shown(session), session.document).size() == 5);
    stand.set_quick_look(true);
    CHECK(std::holds_alternative<QuickPicture>(shown(session, {false, false, true}).main));
    CHECK(std::holds_alternative<FrameView>(shown(session, {false, false, false}).main));

    stand.set_stage(Stage::align);
    CHECK_FALSE(std::get<FrameView>(shown(session).main).marked);
    const FrameId reference = session.products.reference();
    CHECK(std::get<FrameView>(shown(session).other).frame == reference);
    stand.set_partner({Partner::nearer, {}});
    CHECK(std::get<FrameView>(shown(session).other).frame == session.document.id_at(2));
    stand.set_partner({Partner::farther, {}});
    CHECK(std::get<FrameView>(shown(session).other).frame == session.document.id_at(4));
    stand.set_partner({Partner::chosen, session.document.id_at(0)});
    stand.compare(&Comparing::edges, true);
    CHECK(std::get<FrameView>(shown(session).main).edges_with == session.document.id_at(0));

    own.merge();
    CHECK(stand.stage() == Stage::merge);
    stand.set_stage(Stage::align);
    CHECK(std::get<FrameView>(shown(session).main).plane == session.products.plane());
    stand.compare(&Comparing::as_shot, true);
    CHECK_FALSE(std::get<FrameView>(shown(session).main).plane);

    stand.set_stage(Stage::merge);
    const ResultId result = stand.result()->id;
    CHECK(shown(session).main == ShownPicture(ResultPicture{result}));
    CHECK(std::get<FrameView>(shown(session).other).frame == frame);
    CHECK(std::holds_alternative<ResultPicture>(shown(session, {false, true, false}).main));
    own.merge();
    stand.set_compared_result(result);
    CHECK(shown(session).other == ShownPicture(ResultPicture{result}));
    stand.set_stage(Stage::mend);
    CHECK(std::holds_alternative<FrameView>(shown(session).other));
    // What is compared with is dropped.
    stand.set_stage(Stage::merge);
    session.merging.drop(result);
    CHECK(std::holds_alternative<FrameView>(shown(session).other));
    session.merging.drop(stand.result()->id);
    CHECK(std::holds_alternative<GrowthPicture>(shown(session, {false, true, false}).main));
}

TEST_CASE("ways to compare exclude each other, points bring the twin along", "[shown]") {
    test::StripSession own(false);
    Standpoint& stand = own.session.standpoint;
    stand.compare(&Comparing::curtain, true);
    stand.compare(&Comparing::blink, true);
    CHECK(stand.comparing() == Comparing{false, true, false, false, false, false});
    stand.compare(&Comparing::points, true);
    CHECK(stand.comparing() == Comparing{false, false, true, false, false, true});
    stand.compare(&Comparing::edges, true);
    stand.compare(&Comparing::twin, false);
    CHECK(stand.comparing() == Comparing{false, false, false, true, false, false});
}

TEST_CASE("the standpoint follows the document", "[shown]") {
    test::StripSession own;
    Session& session = own.session;
    CHECK(session.standpoint.place() == 3);
    const FrameId frame = *session.standpoint.frame();
    session.culling.turn_round();
    CHECK(session.standpoint.frame() == frame);
    CHECK(session.standpoint.place() == 2);
    session.standpoint.set_place(99);
    CHECK(session.standpoint.place() == 5);
    own.merge();
    own.merge();
    const ResultId first = test::results(session)[0].id, second = test::results(session)[1].id;
    CHECK(session.standpoint.result()->id == second);
    session.merging.drop(second);
    CHECK(session.standpoint.result()->id == first);
    session.merging.drop(first);
    CHECK_FALSE(session.standpoint.result());
    session.document.undo();
    CHECK(session.standpoint.result()->id == first);
    CHECK(session.products.merge(first));
}
