// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/project.h"

#include <catch2/catch.hpp>

#include "core/project/project_json.h"
#include "core/project/stored_sources.h"
#include "core/project/words.h"
#include "tests/core/project/random_project.h"

using namespace moorhaze;

namespace {

Project four_frames() {
    Series series;
    series.name = "lichen";
    for (int i = 0; i < 4; ++i) {
        Frame frame;
        frame.id = {10 + i};
        frame.path = "f" + std::to_string(i) + ".jpg";
        series.frames.push_back(frame);
    }
    return with_series({}, series, {}, std::nullopt);
}

std::vector<int> ids(const std::vector<FrameId>& frames) {
    std::vector<int> list;
    for (const FrameId frame : frames) list.push_back(frame.value);
    return list;
}

ProjectResult woven(const Project& project, int id) {
    ProjectResult result;
    result.id = {id};
    result.title = "Woven " + std::to_string(id);
    result.made_from = merge_inputs(project, {11});
    return result;
}

}  // namespace

TEST_CASE("a range follows its frames, and an open end takes in what comes later", "[project]") {
    Project project = with_range(four_frames(), {1, 3});
    CHECK(range_of(project) == FrameRange{1, 3});
    project = with_frame_added(project, {{14}, "f4.jpg", {}, 0, true});
    CHECK(range_of(project) == FrameRange{1, 4});
    CHECK(ids(chosen_frames(project)) == std::vector<int>{11, 12, 13, 14});
    // Turned round, the same frames are in it.
    project = with_range(project, {1, 3});
    project = with_order(project, {{14}, {13}, {12}, {11}, {10}});
    CHECK(range_of(project) == FrameRange{1, 3});
    CHECK(ids(chosen_frames(project)) == std::vector<int>{13, 12, 11});
    CHECK(range_of(Project{}).last == -1);
    CHECK(chosen_frames(Project{}).empty());
}

TEST_CASE("an order names every frame once", "[project]") {
    const Project project = four_frames();
    CHECK_THROWS_AS(with_order(project, {{10}, {11}, {12}}), BadParameter);
    CHECK_THROWS_AS(with_order(project, {{10}, {11}, {12}, {12}}), BadParameter);
    CHECK_THROWS_AS(with_order(project, {{10}, {11}, {12}, {99}}), BadParameter);
}

TEST_CASE("what is not there cannot be changed", "[project]") {
    const Project project = four_frames();
    CHECK(with_used(project, {99}, false) == project);
    CHECK(with_reference(project, FrameId{99}) == project);
    CHECK(with_title(project, {5}, "heath") == project);
    CHECK(without_result(project, {5}) == project);
    CHECK(with_stroke(project, {5}, {}) == project);
    CHECK(with_range({}, {2, 3}) == Project{});
}

TEST_CASE("the inputs of a step change exactly with what it depends on", "[project]") {
    const Project project = four_frames();
    const FrameId suggested{11};
    const auto look = look_inputs(project);
    const auto align = align_inputs(project, suggested);
    const auto merge = merge_inputs(project, suggested);
    struct Case {
        const char* what;
        Project after;
        bool look, align, merge;
    };
    Placing placing;
    placing.model = PlaneModel::shift;
    MergeChoice choice;
    choice.settings.trust_floor = 0.5;
    Development development;
    development.exposure_ev = 1;
    const Project with_one = with_result(project, woven(project, 1));
    for (const Case& own : std::initializer_list<Case>{
             {"left out", with_used(project, {12}, false), false, true, true},
             {"range", with_range(project, {1, 2}), false, false, true},
             {"the suggested reference chosen", with_reference(project, suggested), false, false, false},
             {"another reference", with_reference(project, FrameId{12}), false, true, true},
             {"order", with_order(project, {{11}, {10}, {12}, {13}}), true, true, true},
             {"placing", with_placing(project, placing), false, true, true},
             {"kept", with_kept(project, KeptArea::everything), false, false, true},
             {"settings", with_merge(project, choice), false, false, true},
             {"development", with_development(project, development), true, true, true},
             {"shot again", with_frame_shot_again(project, {12}), true, true, true},
             {"a result", with_one, false, false, false},
             {"a stroke", with_stroke(with_one, {1}, {FrameId{10}, 5, 0, 1, {{1, 1}}}), false, false, false},
         }) {
        INFO(own.what);
        CHECK((look_inputs(own.after) != look) == own.look);
        CHECK((align_inputs(own.after, suggested) != align) == own.align);
        CHECK((merge_inputs(own.after, suggested) != merge) == own.merge);
    }
    // What is suggested counts where nothing was chosen.
    CHECK(align_inputs(project, {12}) != align);
    CHECK(align_inputs(with_reference(project, FrameId{11}), {12}) == align);
}

TEST_CASE("a result is saved for as long as it bears the strokes it was saved with", "[project]") {
    Project project = four_frames();
    project = with_result(project, woven(project, 1));
    CHECK(has_unsaved_results(project));
    project = with_saved(project, {1}, {}, project.finish);
    CHECK_FALSE(has_unsaved_results(project));
    History history(project);
    history.edit("stroke", with_stroke(history.now(), {1}, {FrameId{10}, 5, 0, 1, {{1, 1}}}));
    CHECK(has_unsaved_results(history.now()));
    history.undo();
    CHECK_FALSE(has_unsaved_results(history.now()));
}

TEST_CASE("what nobody asked for makes way for the next such, unless it was used", "[project]") {
    Project project = four_frames();
    auto ahead = [&](int id) {
        ProjectResult result = woven(project, id);
        result.ahead = true;
        return result;
    };
    project = with_result(project, ahead(1));
    project = with_result(project, ahead(2));
    REQUIRE(project.results.size() == 1);
    CHECK(project.results[0].id == ResultId{2});
    project = with_stroke(project, {2}, {FrameId{10}, 5, 0, 1, {{1, 1}}});
    project = with_result(project, ahead(3));
    CHECK(project.results.size() == 2);
    project = with_result_asked_for(project, {3});
    project = with_result(project, ahead(4));
    CHECK(project.results.size() == 3);
    CHECK(has_unsaved_results(project));
}

TEST_CASE("undo takes back what was decided, never what happened", "[project][history]") {
    History history(four_frames());
    REQUIRE(history.edit("leave out", with_used(history.now(), {12}, false)));
    CHECK_FALSE(history.edit("leave out", with_used(history.now(), {12}, false)));
    history.happened([](const Project& own) { return with_frame_added(own, {{14}, "f4.jpg", {}, 0, true}); });
    history.happened([](const Project& own) { return with_result(own, woven(own, 1)); });
    CHECK(history.undo_words() == "leave out");
    history.undo();
    CHECK(history.now().frames[2].used);
    CHECK(history.now().frames.size() == 5);
    CHECK(history.now().results.size() == 1);
    CHECK_FALSE(history.can_undo());
    CHECK(history.redo_words() == "leave out");
    history.redo();
    CHECK_FALSE(history.now().frames[2].used);
    CHECK(history.now().frames.size() == 5);
    // A dropped result can come back for as long as the history holds it.
    history.edit("drop", without_result(history.now(), {1}));
    CHECK(history.knows({1}));
    history.undo();
    CHECK(find_result(history.now(), {1}));
}

TEST_CASE("steps within one field are one step, until something else was done", "[project][history]") {
    History history;
    auto type = [&](double depth, const char* field) {
        Shooting shooting = history.now().shooting;
        shooting.setup.subject_depth_mm = depth;
        history.edit("depth", with_shooting(history.now(), shooting), field);
    };
    type(4, "depth");
    type(40, "depth");
    CHECK(history.steps() == 1);
    type(41, "other");
    CHECK(history.steps() == 2);
    history.undo();
    CHECK(history.now().shooting.setup.subject_depth_mm == 40);
    type(42, "depth");
    CHECK(history.steps() == 2);  // after an undo typing begins a step of its own
    history.undo();
    CHECK(history.now().shooting.setup.subject_depth_mm == 40);
}

TEST_CASE("whatever was done: undo all is the first value, redo all the last, and JSON is the project",
          "[project][history]") {
    for (unsigned seed = 100; seed < 140; ++seed) {
        test::RandomWork work(seed);
        History history(work.begin());
        // What merely happens is in all values: it comes first here, so that the first value is known.
        for (int i = 0; i < 6; ++i) history.happened(work.happening(history.now()));
        const Project first = history.now();
        int steps = 0;
        for (int i = 0; i < 60; ++i) {
            steps += history.edit("step", work.edited(history.now()));
            if (work.below(8) == 0 && history.can_undo()) history.undo(), history.redo();
        }
        const Project last = history.now();
        INFO("seed " << seed);
        CHECK(history.undo_steps() == steps);
        while (history.can_undo()) history.undo();
        CHECK(history.now() == first);
        int redone = 0;
        for (; history.can_redo(); ++redone) {
            history.redo();
            if (redone % 5) continue;
            const Project& now = history.now();
            CHECK(project_from_json(to_json(now, "/heath"), "/heath") == now);
            CHECK(project_from_json(to_json(now, {}), {}) == now);
        }
        CHECK(redone == steps);
        CHECK(history.now() == last);
        // And then things happen in between: nothing is lost by undo.
        for (int i = 0; i < 30; ++i) {
            history.happened(work.happening(history.now()));
            history.edit("step", work.edited(history.now()));
        }
        const int frames = history.now().frames.size();
        const auto revision = look_inputs(history.now());
        history.edit("none", with_kept(history.now(), KeptArea((int(history.now().kept) + 1) % 3)));
        history.undo();
        CHECK(history.now().frames.size() == frames);
        CHECK(look_inputs(history.now()) == revision);
    }
}

TEST_CASE("a step that changes one thing shares all the rest", "[project]") {
    Project project = four_frames();
    project = with_result(project, woven(project, 1));
    for (int i = 0; i < 300; ++i)
        project = with_stroke(project, {1}, {FrameId{10}, 5, 0, 1, {{double(i), 1}}});
    const Project more = with_stroke(project, {1}, {WipeBack{}, 5, 0, 1, {{1, 1}}});
    CHECK(project.results[0].strokes.is_shared_start_of(more.results[0].strokes));
    CHECK(&more.frames[0] == &project.frames[0]);
    CHECK_FALSE(more.results[0].strokes.is_shared_start_of(project.results[0].strokes));
}

TEST_CASE("text that is no project, or a newer one, is refused with the reason", "[project]") {
    using Catch::Contains;
    CHECK_THROWS_WITH(project_from_json("", {}), Contains("damaged"));
    CHECK_THROWS_WITH(project_from_json("[1, 2]", {}), Contains("no project"));
    CHECK_THROWS_WITH(project_from_json(R"({"moorhaze_project": 999})", {}), Contains("newer"));
    CHECK_THROWS_WITH(project_from_json(R"({"moorhaze_project": 1, "frames": 7})", {}),
                      Contains("means nothing"));
    CHECK_THROWS_WITH(project_from_json(R"({"moorhaze_project": 1})", {}),
                      Contains("damaged (it does not say"));
    const std::string whole = to_json(four_frames(), {});
    std::string other = whole;
    other.replace(other.find("\"common\""), 8, "\"heather\"");
    CHECK_THROWS_WITH(project_from_json(other, {}), Contains("heather"));
    for (std::size_t length = 0; length + 10 < whole.size(); length += 97)
        CHECK_THROWS_AS(project_from_json(whole.substr(0, length), {}), FileError);
}

TEST_CASE("a frame whose file holds another picture counts as shot again", "[project]") {
    const Project project = four_frames();
    const FrameId first = project.frames[0].id;
    const Project read = with_content_keys(project, {{first, "aa"}});
    CHECK(read.frames[0].revision == project.frames[0].revision);  // it was not known before
    CHECK(with_content_keys(read, {{first, "aa"}}) == read);
    const Project other = with_content_keys(read, {{first, "bb"}});
    CHECK(other.frames[0].revision == project.frames[0].revision + 1);
    CHECK(other.frames[0].content_key == "bb");
    CHECK(look_inputs(other) != look_inputs(read));
}

TEST_CASE("paths are written relative to the project's folder", "[project]") {
    Project project = four_frames();
    ProjectFrame frame = project.frames[0];
    frame.path = "/heath/series/f0.jpg";
    project.frames = project.frames.replaced(0, frame);
    const std::string json = to_json(project, "/heath/projects/one");
    CHECK_THAT(json, Catch::Contains("\"../../series/f0.jpg\""));
    CHECK(project_from_json(json, "/moor/projects/one").frames[0].path == "/moor/series/f0.jpg");
}

TEST_CASE("settings are put in words, those that matter to the method", "[project]") {
    Project project = four_frames();
    MadeFrom from = merge_inputs(project, {11});
    CHECK(settings_in_words(from) == "4 frames · detail 4 px · seam 2 px · floor 0.3");
    from.choice.backdrop = FrameId{13};
    from.choice.settings.glare_guard = false;
    CHECK(settings_in_words(from) ==
          "4 frames · detail 4 px · seam 2 px · floor 0.3 · backdrop frame 4 · no glare guard");
    from.choice.method = "pyramid";
    CHECK(settings_in_words(from) == "4 frames · no glare guard");
    ProjectResult result = woven(project, 1);
    result.strokes = result.strokes.appended({});
    CHECK(made_with(result) == "Moorhaze woven merge, 4 frames, detail 4 px, seam 2 px, floor 0.3, 1 stroke");
}

TEST_CASE("a card is cut and joined by frames, also where the series was turned round", "[project]") {
    test::RandomWork work(1);
    Project project = work.begin();
    const auto cut = cut_before(project, project.frames[4].id);
    REQUIRE(cut.size() == 3);
    CHECK(cut[0].frames.size() == 4);
    CHECK(cut[1].frames.front().id == project.frames[4].id);
    Project turned = project;
    turned.turned_round = true;
    turned.frames = turned.frames.picked({8, 7, 6, 5, 4, 3, 2, 1, 0});
    const auto turned_cut = cut_before(turned, turned.frames[4].id);
    CHECK(turned_cut[1].frames.front().id == turned.frames[3].id);
    CHECK_THROWS_AS(cut_before(project, project.frames[0].id), BadParameter);
    Project joined = project;
    joined.card = joined_with_next(project);
    CHECK(joined.card.size() == 1);
    CHECK(joined.card[0].frames.size() == 14);
    CHECK_THROWS_AS(joined_with_next(joined), BadParameter);
}

TEST_CASE("steps of one drag are one, but not across a merge, and not two drags", "[history]") {
    History history(Project{});
    const auto named = [&](const char* name) { return with_name(history.now(), name); };
    history.edit("slider", named("4"), "slider");
    history.edit("slider", named("6"), "slider");
    CHECK(history.steps() == 1);
    history.end_step();
    history.edit("slider", named("7"), "slider");
    CHECK(history.steps() == 2);
    // A merge came between: what was decided before it can be gone back to.
    ProjectResult result;
    result.id = {1};
    history.happened([&](const Project& own) { return with_result(own, result); });
    history.edit("slider", named("9"), "slider");
    history.undo();
    CHECK(history.now().name == "7");
    CHECK(history.now().results.size() == 1);
    history.undo();
    CHECK(history.now().name == "6");
    history.undo();
    CHECK(history.now().name.empty());
}

TEST_CASE("a result is named by its number, the newest by none, and what is not there by what is",
          "[project]") {
    Project project;
    CHECK_THROWS_WITH(result_numbered(project, 0, "heath.moorhaze"),
                      Catch::Contains("heath.moorhaze: has no result"));
    for (const int id : {3, 7, 9}) {
        ProjectResult result;
        result.id = {id};
        project = with_result(std::move(project), result);
    }
    CHECK(result_numbered(project, 0, "x").id.value == 9);
    CHECK(result_numbered(project, 1, "x").id.value == 3);
    CHECK(result_numbered(project, 3, "x").id.value == 9);
    CHECK_THROWS_WITH(result_numbered(project, 4, "x"), Catch::Contains("has 3 results"));
}

TEST_CASE("the set goes on from series to series, and another project's own set is taken", "[project][set]") {
    test::RandomWork work(5);
    Project lichen = work.begin();
    SetChoice set;
    set.recipe_name = "as the lichen";
    set.whole = recipe_of(lichen);
    set.out = "finished";
    set = with_tick(set, lichen.card[1].frames[0].path, false);
    lichen = with_set(lichen, set);
    // Another series of the card, opened from its files or as its project, whatever that project knew.
    Series series;
    series.name = "bog cotton";
    series.frames = frames_of(lichen.card[1], {});
    CHECK(with_series(lichen, series, {}, {}).set == set);
    Project cotton = with_series({}, series, lichen.card, 1);
    SetChoice of_before = set;
    of_before.recipe_name = "as it was last week";
    CHECK(with_set_of(with_set(cotton, of_before), lichen).set == set);
    // One that has nothing to do with it keeps its own, or goes on with this where it has none.
    Project brass;
    brass.frames = SharedList(std::vector<ProjectFrame>{{{1}, "/heath/brass/f1.jpg", {}, 0, true}});
    CHECK(with_set_of(brass, lichen).set == set);
    CHECK(with_set_of(with_set(brass, of_before), lichen).set == of_before);
    // Frames that lie elsewhere now take their ticks along.
    const FrameId first = lichen.card[1].frames[0].id;
    const Project moved = with_frame_paths(lichen, {{first, "/moor/f9.jpg"}});
    CHECK_FALSE(is_ticked(moved.set, "/moor/f9.jpg"));
    CHECK(is_ticked(moved.set, lichen.card[1].frames[0].path));
}

TEST_CASE("a recipe carries all its parts but those that were left out", "[project][set]") {
    test::RandomWork work(6);
    SetChoice set;
    set.whole = recipe_of(work.begin());
    for (const RecipePart part : kRecipeParts) {
        INFO(name_of(part));
        const bool has_it = carries(set.whole, part);
        CHECK(carries_part(set, part) == has_it);
        const SetChoice without_it = with_part(set, part, false);
        CHECK_FALSE(carries(carried_recipe(without_it), part));
        CHECK(without_it.whole == set.whole);
        CHECK(with_part(without_it, part, true) == set);
    }
}
