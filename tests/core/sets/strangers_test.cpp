// SPDX-License-Identifier: GPL-3.0-or-later
// What comes from somewhere else (records, names, files that changed) hurts nothing outside of a set's
// folder, and what is called done is done.
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>
#include <set>

#include "core/focus/profile_cache.h"
#include "core/sets/cluster_job.h"
#include "core/sets/run_set.h"
#include "core/sets/set_paths.h"
#include "tests/support/card_files.h"

using namespace moorhaze;
namespace fs = std::filesystem;

namespace {

/// Each series is to be looked at, so that its project is kept.
constexpr const char* kDoubtfulRecipe = R"({"moorhaze_recipe": 1, "area": "reference",
    "alignment": {"as_they_lie": true}, "merge": [{"method": "depth"}],
    "hand_over": {"outputs": [{"format": "png", "bits": 8, "name": "{series}"}]},
    "doubts": {"gap_steps": 1000, "snags": 0}})";

SetPlan doubtful_plan(const test::Scratch& scratch) {
    return plan_set(recipe_from_json(kDoubtfulRecipe), {scratch / "card"},
                    parse_out((scratch / "out").string()), {});
}

nlohmann::json json_in(const fs::path& file) {
    return nlohmann::json::parse(test::read_all(file));
}

}  // namespace

TEST_CASE("names in a set's folder are never empty, too long, or of two series", "[sets][strangers]") {
    const std::string names[] = {"knob",
                                 "knob.",
                                 " knob",
                                 "kn:ob",
                                 "kn-ob",
                                 "...",
                                 "..",
                                 ".",
                                 "",
                                 "/",
                                 "caf\xe9",
                                 std::string(252, 'x'),
                                 std::string(252, 'x') + "y",
                                 "a\nb"};
    std::set<std::string> all;
    for (const std::string& name : names) {
        const std::string own = SetPaths::name_of(name);
        INFO(own);
        CHECK(own.size() <= 200);
        CHECK(own.find_first_of(std::string("/\n\0", 3)) == std::string::npos);
        CHECK(own.front() != '.');
        CHECK(fs::path(own).filename() == own);
        CHECK(all.insert(own).second);
    }
    CHECK(SetPaths::name_of("lichen cups").starts_with("lichen cups-"));
    for (const char* name : {"...", "..", ".", " ", ""}) CHECK(as_file_name(name) == "unnamed");
    // Whole letters of several bytes.
    CHECK(shortened("a\xc3\xb6", 2) == "a");
    CHECK(shortened("a\xc3\xb6", 3) == "a\xc3\xb6");
    NameParts parts;
    parts.series = std::string(252, 'x');
    CHECK(name_of_output("{series}", parts, FileFormat::tiff).size() == 204);
    CHECK_THROWS_WITH(name_of_output(std::string(252, 'x'), parts, FileFormat::tiff),
                      Catch::Contains("256 bytes"));
}

TEST_CASE("a record from somewhere else deletes and replaces nothing outside of its set",
          "[sets][strangers]") {
    const test::Scratch scratch;
    test::write_card(scratch / "card", {"a"});
    fs::create_directories(scratch / "victim" / "x");
    test::write_all(scratch / "victim" / "x" / "thesis.txt", "three years");
    test::write_all(scratch / "victim" / "x" / "x.moorhaze", "a project");
    const SetPlan plan = doubtful_plan(scratch);
    REQUIRE(run_set(plan, {}, {}, {})[0].state == SeriesState::doubtful);
    const SetPaths paths(set_folder(plan.out));
    const fs::path record = paths.record("a");
    const auto before = json_in(record);
    const std::string kept = test::read_all(scratch / "out" / before["project"].get<std::string>());
    for (const char* project : {"../victim/x/x.moorhaze", "moorhaze-set/../../victim/x/x.moorhaze",
                                "moorhaze-set/projects/../../../victim/x/x.moorhaze", "x.moorhaze", "/"}) {
        INFO(project);
        auto changed = before;
        changed["state"] = "writing";  // as a run that was interrupted leaves it
        changed["project"] = project;
        test::write_all(record, changed.dump());
        run_set(plan, {}, {}, {});
        CHECK(test::read_all(scratch / "victim" / "x" / "thesis.txt") == "three years");
        CHECK(test::read_all(scratch / "victim" / "x" / "x.moorhaze") == "a project");
    }
    // Files outside make a record nobody's.
    for (const char* file : {"../victim/x/thesis.txt", "/etc/hostname", "a/../../victim/x/thesis.txt"}) {
        INFO(file);
        auto changed = before;
        changed["files"] = {{{"file", file}, {"bytes", 11}, {"hash", ""}}};
        test::write_all(record, changed.dump());
        CHECK_FALSE(read_record(paths.folder(), "a"));
    }
    // A record under another series' name counts for none.
    test::write_all(paths.record("b"), before.dump());
    CHECK_FALSE(read_record(paths.folder(), "b"));
    CHECK_FALSE(kept.empty());
}

TEST_CASE("a link in the place of a set's folder is refused", "[sets][strangers]") {
    const test::Scratch scratch;
    test::write_card(scratch / "card", {"a"});
    fs::create_directories(scratch / "elsewhere");
    fs::create_directories(scratch / "out");
    fs::create_directory_symlink(scratch / "elsewhere", scratch / "out" / "moorhaze-set");
    CHECK_THROWS_WITH(run_set(doubtful_plan(scratch), {}, {}, {}), Catch::Contains("is a link"));
    CHECK(fs::is_empty(scratch / "elsewhere"));
}

TEST_CASE("done is what is there byte by byte: a picture cut off or changed is made again, or left and told",
          "[sets][strangers]") {
    const test::Scratch scratch;
    test::write_card(scratch / "card", {"a"});
    const SetPlan plan = doubtful_plan(scratch);
    REQUIRE(run_set(plan, {}, {}, {})[0].is_made());
    const fs::path picture = scratch / "out" / "a.png";
    const std::string whole = test::read_all(picture);
    const auto keys = frame_keys(plan.series[0], {});
    CHECK(state_of(plan, plan.series[0], keys, false).is_made());
    const auto known = read_record(set_folder(plan.out), "a");
    REQUIRE(known);
    REQUIRE(known->files.size() == 1);
    CHECK(known->files[0].bytes == whole.size());
    CHECK(known->files[0].hash == content_key_of(picture, {}));
    test::write_all(picture, whole.substr(0, 100));
    CHECK_FALSE(state_of(plan, plan.series[0], keys, false).is_made());
    CHECK(run_set(plan, {}, {}, {})[0].is_made());
    CHECK(test::read_all(picture) == whole);
    // One byte of the same size.
    std::string touched = whole;
    touched[touched.size() / 2] ^= 1;
    test::write_all(picture, touched);
    CHECK_FALSE(all_there(plan, *read_record(set_folder(plan.out), "a")));
    CHECK(untouched_files(plan, *read_record(set_folder(plan.out), "a")).empty());
    // A record of before there were hashes is held to the size.
    SeriesRecord old = *known;
    old.files[0].hash.clear();
    CHECK(all_there(plan, old));
}

TEST_CASE("pictures do not go among the frames, and what a set wrote is no frame the next time",
          "[sets][strangers]") {
    const test::Scratch scratch;
    test::write_card(scratch / "card", {"a", "b"});
    const Recipe recipe = recipe_from_json(kDoubtfulRecipe);
    CHECK_THROWS_WITH(plan_set(recipe, {scratch / "card"}, parse_out((scratch / "card").string()), {}),
                      Catch::Contains("among the frames"));
    const OutPattern out = parse_out((scratch / "card" / "finished").string());
    const SetPlan first = plan_set(recipe, {scratch / "card"}, out, {});
    REQUIRE(first.series.size() == 2);
    run_set(first, {}, {}, {});
    CHECK(plan_set(recipe, {scratch / "card"}, out, {}).series.size() == 2);
    CHECK_THROWS_WITH(parse_out("out\nrm"), Catch::Contains("control character"));
}

TEST_CASE("tasks come back as they were given, whatever is in their words", "[sets][strangers]") {
    const test::Scratch scratch;
    const std::vector<Words> tasks{
        {"run", "a b", "it's", "$(touch x)", "line\nend", "", "caf\xe9"}, {}, {"-", "%a\\"}};
    test::write_all(scratch / "tasks", tasks_text(tasks));
    for (int i = 0; i < 3; ++i) CHECK(task_of(scratch / "tasks", i + 1) == tasks[std::size_t(i)]);
    CHECK_THROWS_WITH(task_of(scratch / "tasks", 4), Catch::Contains("has no task 4"));
    test::write_all(scratch / "cut", tasks_text(tasks).substr(0, 12));
    CHECK_THROWS_AS(task_of(scratch / "cut", 1), FileError);
    test::write_all(scratch / "other", std::string("x\0y\0", 4));
    CHECK_THROWS_WITH(task_of(scratch / "other", 1), Catch::Contains("no file of tasks"));
}
