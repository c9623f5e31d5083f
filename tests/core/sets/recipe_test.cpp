// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/sets/follow_recipe.h"

#include <catch2/catch.hpp>

#include "tests/core/project/random_project.h"
#include "tests/support/scratch.h"

using namespace moorhaze;

namespace {

Project six_frames() {
    Series series;
    series.name = "bog cotton";
    for (int i = 0; i < 6; ++i) {
        Frame frame;
        frame.id = {20 + i};
        series.frames.push_back(frame);
    }
    return with_series({}, series, {}, std::nullopt);
}

void refuse(const std::string& json, const std::string& named) {
    INFO(json);
    CHECK_THROWS_WITH(recipe_from_json(json), Catch::Contains(named));
}

}  // namespace

TEST_CASE("a recipe of any project is read back as it was written", "[sets]") {
    for (unsigned seed = 1; seed <= 12; ++seed) {
        test::RandomWork work(seed);
        Project project = work.begin();
        for (int step = 0; step < 40; ++step) project = work.edited(project);
        Recipe recipe = recipe_of(project);
        recipe.turntable = TurntableRule{12, false, true, false, 0.1, PixelRect(3, 4, 50, 60)};
        CHECK(recipe_from_json(json_of(recipe)) == recipe);
        for (const RecipePart part : kRecipeParts) {
            CHECK(carries(recipe, part));
            CHECK_FALSE(in_words(recipe, part).empty());
            const Recipe less = without(recipe, part);
            CHECK_FALSE(carries(less, part));
            CHECK(recipe_from_json(json_of(less)) == less);
        }
    }
}

TEST_CASE("a recipe carries decisions over to a series of another length", "[sets]") {
    Project project = six_frames();
    project = with_range(project, {1, 3});
    project = with_reference(project, FrameId{25});
    MergeChoice choice = project.merge;
    choice.method = "depth";
    choice.settings.detail_size_px = 7;
    choice.backdrop = FrameId{25};
    project = with_merge(project, choice);
    Finish finish;
    finish.light.exposure_ev = 0.5;
    finish.detail.painted = SharedList<SharpenedStroke>({{{{1, 1}}, 5, 0.5, false}});
    project = with_finish(project, finish, {});
    const Recipe recipe = recipe_of(project);

    Series longer;
    for (int i = 0; i < 21; ++i) longer.frames.push_back({{}, {}, {}, true, {100 + i}});
    Project other = with_recipe(with_series({}, longer, {}, std::nullopt), recipe);
    other = with_recipe_for_frames(other, recipe, {std::vector<double>(21, 0.05), {}, {}, 0}, {});
    CHECK(range_of(other) == FrameRange{4, 12});  // 20 % and 60 % of the way
    CHECK(other.reference == FrameId{120});
    CHECK(other.merge.method == "depth");
    CHECK(other.merge.settings.detail_size_px == 7);
    CHECK(other.merge.backdrop == FrameId{120});
    CHECK(other.finish.finish.light.exposure_ev == 0.5);
    CHECK(other.finish.finish.detail.painted.empty());  // belongs to one picture
    // A reference frame that is left out is none: the nearest that is used takes its place.
    other = with_recipe_for_frames(other, recipe, {std::vector<double>(21, 0.05), {}, {}, 0},
                                   {{20, {"misfire", "dark", 0}}, {19, {"misfire", "dark", 0}}});
    CHECK(other.reference == FrameId{118});
}

TEST_CASE("a recipe that carries nothing leaves a series as if nothing was decided", "[sets]") {
    Recipe nothing;
    const Project project = six_frames();
    Project same = with_recipe(project, nothing);
    same = with_recipe_for_frames(same, nothing, {std::vector<double>(6, 0.1), {}, {}, 0}, {});
    CHECK(same == project);
    CHECK(merges_of(nothing, project) == std::vector<MergeChoice>{MergeChoice{}});
}

TEST_CASE("raw series keep their own white balance and orientation unless the recipe has one", "[sets]") {
    Project project = six_frames();
    project.development.orientation = 6;
    project.development.red = 2.1, project.development.blue = 1.4;
    Recipe recipe;
    recipe.development = Development{};
    recipe.development->exposure_ev = 0.3;
    Development own = with_recipe(project, recipe).development;
    CHECK((own.orientation == 6 && own.red == 2.1 && own.blue == 1.4 && own.exposure_ev == 0.3));
    recipe.development->red = 1.9;
    own = with_recipe(project, recipe).development;
    CHECK((own.red == 1.9 && own.blue == 1.4));
}

TEST_CASE("ends are trimmed where frames have next to nothing sharp", "[sets]") {
    RangeRule rule;
    const std::vector<double> share{0.001, 0.002, 0.2, 0.0, 0.3, 0.1, 0.004};
    CHECK(range_by(rule, share) == FrameRange{0, 6});
    rule.kind = RangeRule::Kind::trimmed;
    CHECK(range_by(rule, share) == FrameRange{2, 5});
    CHECK(range_by(rule, {0, 0, 0}) == FrameRange{0, 2});  // nothing is known of an even picture
    CHECK(range_by(rule, {0.5}) == FrameRange{0, 0});
    rule.kind = RangeRule::Kind::depth;
    rule.nearest = 1, rule.farthest = 0.5;
    CHECK(range_by(rule, share) == FrameRange{3, 6});
}

TEST_CASE("flags that a recipe accepts leave their frames in", "[sets]") {
    const Project project = six_frames();
    SeriesProfile whole;
    whole.flags.resize(6);
    whole.flags[1] = {{"misfire", "dark", 0.1}};
    whole.flags[4] = {{"unsharp", "nothing sharp", 0}, {"duplicate", "as the one before", 0}};
    CHECK(flagged_frames(project, whole, {}).size() == 2);
    const auto left_out = flagged_frames(project, whole, {false, {"unsharp", "misfire"}});
    REQUIRE(left_out.size() == 1);
    CHECK((left_out[0].frame == 4 && left_out[0].why.kind == "duplicate"));
    CHECK(flagged_frames(project, whole, {true, {}}).empty());
    CHECK(flagged_frames(with_used(project, {21}, false), whole, {}).size() == 1);
}

TEST_CASE("a recipe with what means nothing here is refused by name", "[sets]") {
    refuse("[]", "no recipe");
    refuse("{", "damaged");
    refuse(R"({"moorhaze_recipe": 99})", "newer");
    refuse(R"({"moorhaze_recipe": 1, "sauce": {}})", "sauce");
    refuse(R"({"moorhaze_recipe": 1, "alignment": {"speed": 3}})", "speed");
    refuse(R"({"moorhaze_recipe": 1, "merge": [{"method": "magic"}]})", "magic");
    refuse(R"({"moorhaze_recipe": 1, "merge": [{"method": "depth", "salt": 1}]})", "salt");
    refuse(R"({"moorhaze_recipe": 1, "merge": []})", "no way to merge");
    refuse(R"({"moorhaze_recipe": 1, "merge": [{"detail_size_px": 900}]})", "detail");
    refuse(R"({"moorhaze_recipe": 1, "flags": {"accept": ["boredom"]}})", "boredom");
    refuse(R"({"moorhaze_recipe": 1, "range": {"frames": "some"}})", "some");
    refuse(R"({"moorhaze_recipe": 1, "range": {"frames": "depth", "nearest": 7}})", "nearest");
    refuse(R"({"moorhaze_recipe": 1, "finish": {"glow": {}}})", "glow");
    refuse(R"({"moorhaze_recipe": 1, "hand_over": {"outputs": [{"format": "floppy"}]}})", "floppy");
    refuse(R"({"moorhaze_recipe": 1, "doubts": {"moods": 1}})", "moods");
    refuse(R"({"moorhaze_recipe": 1, "area": 5})", "5");
    CHECK_THROWS_WITH(read_recipe("/nowhere/at.json"), Catch::Contains("/nowhere/at.json"));
    const test::Scratch scratch;
    test::write_all(scratch / "new.json", R"({"moorhaze_recipe": 2})");
    CHECK_THROWS_WITH(read_recipe(scratch / "new.json"), Catch::Contains("new.json: is of version 2"));
    // A merge alone needs no list.
    CHECK(recipe_from_json(R"({"moorhaze_recipe": 1, "merge": {"method": "blend"}})").merges->size() == 1);
}
