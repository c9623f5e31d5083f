// SPDX-License-Identifier: GPL-3.0-or-later
// Sets as users' scripts run them: the program itself is started, interrupted and killed.
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>
#include <random>
#include <sstream>
#include <thread>

#include "core/files/picture_file.h"
#include "tests/cli/set_card.h"
#include "tests/support/measures.h"

using namespace moorhaze;
using test::SetCard;
using test::Started;
namespace fs = std::filesystem;

TEST_CASE("run says what it would do, does it, and passes over what is done", "[cli][sets]") {
    const SetCard card({"lichen", "moss"});
    const auto dry = card.run("--dry-run --quiet");
    INFO(dry.text);
    CHECK(dry.code == 0);
    CHECK_THAT(dry.text, Catch::Contains("lichen: 4 frames, 120x80") && Catch::Contains("out/moss.tif") &&
                             Catch::Contains("2 series"));
    CHECK_FALSE(fs::exists(card.path("out")));
    const auto ran = card.run("");
    INFO(ran.text);
    CHECK(ran.code == 0);
    CHECK_THAT(ran.text, Catch::Contains("2 of 2 series done") && Catch::Contains("left"));
    CHECK(card.pictures("out").size() == 2);
    CHECK_THAT(card.run("--dry-run --quiet").text, Catch::Contains("done already"));
    CHECK(card.run("--quiet").text.empty());
    CHECK_THAT(test::run(std::string(MOORHAZE_CLI) + " run --collect --out " + card.path("out")).text,
               Catch::Contains("2 of 2 series done"));
    CHECK(card.run("--only 5").code == 2);
    CHECK(card.run("--only 2 --quiet", "second").code == 0);
    CHECK(card.pictures("second").size() == 1);
}

TEST_CASE("a series of a set has the pixels of a single merge", "[cli][sets]") {
    const SetCard card({"lichen"});
    REQUIRE(card.run("--quiet").code == 0);
    REQUIRE(test::run(std::string(MOORHAZE_CLI) + " merge " + card.path("card/lichen") + " -o " +
                      card.path("single.tif") + " --method depth --detail-size 3 --quiet")
                .code == 0);
    const Picture one = read_picture(card.path("out/lichen.tif")),
                  other = read_picture(card.path("single.tif"));
    REQUIRE(one.pixels.size() == other.pixels.size());
    CHECK(cv::norm(one.pixels, other.pixels, cv::NORM_INF) == 0);
}

TEST_CASE("the listed commands, run one by one in any order, give the same files", "[cli][sets]") {
    const SetCard card({"it's moss", "lichen"});
    REQUIRE(card.run("--quiet").code == 0);
    const auto list = card.run("--list --quiet", "by hand");
    REQUIRE(list.code == 0);
    std::vector<std::string> commands;
    std::istringstream lines(list.text);
    for (std::string line; std::getline(lines, line);) commands.push_back(line);
    INFO(list.text);
    REQUIRE(commands.size() == 2);
    for (auto command = commands.rbegin(); command != commands.rend(); ++command) {
        const auto ran = test::run("cd / && " + *command);
        INFO(*command << "\n" << ran.text);
        CHECK(ran.code == 0);
    }
    CHECK(card.pictures("by hand") == card.pictures("out"));
    CHECK_THAT(
        test::run(std::string(MOORHAZE_CLI) + " run --collect --out '" + card.path("by hand") + "'").text,
        Catch::Contains("2 of 2 series done"));
}

TEST_CASE("a run that is killed ten times ends in the same files, none half written",
          "[cli][sets][interrupted]") {
    std::vector<std::string> names;
    for (int i = 1; i <= 45; ++i) names.push_back("series-" + std::to_string(100 + i));
    const SetCard card(names);
    const auto undisturbed = card.run("--quiet", "whole");
    INFO(undisturbed.text);
    REQUIRE(undisturbed.code == 0);
    const auto whole = card.pictures("whole");
    REQUIRE(whole.size() >= names.size());
    const std::vector<std::string> command{MOORHAZE_CLI,      "run",   card.path("recipe.json"),
                                           card.path("card"), "--out", card.path("out"),
                                           "--quiet"};
    const auto made = [&] { return SetCard::finished(card.pictures("out")); };
    fs::create_directory(card.path("out"));
    std::mt19937 random(3);
    for (int i = 0; i < 10; ++i) {
        Started run(command);
        const size_t until = card.pictures_so_far("out") + random() % 4;
        REQUIRE(run.has_come_to([&] { return card.pictures_so_far("out") >= until; }));
        std::this_thread::sleep_for(std::chrono::microseconds(random() % 20000));  // anywhere in the next one
        run.end(SIGKILL);
        for (const auto& [name, bytes] : made()) {
            INFO(name);
            CHECK(bytes == whole.at(name));
        }
    }
    CHECK(made().size() < whole.size());
    CHECK(card.run("--quiet").code == 0);
    CHECK(made() == whole);
}

TEST_CASE("a recipe of a project does what the project was decided to", "[cli][sets]") {
    const SetCard card({"a"});
    const auto bad = test::run(std::string(MOORHAZE_CLI) + " run " + card.path("none.json") + " " +
                               card.path("card") + " --out " + card.path("out"));
    CHECK(bad.code == 1);
    CHECK_THAT(bad.text, Catch::Contains("none.json"));
    CHECK(test::run(std::string(MOORHAZE_CLI) + " run").code == 2);
    test::write_all(card.scratch / "recipe.json", R"({"moorhaze_recipe": 1, "sauce": 1})");
    const auto unknown = card.run("--quiet");
    CHECK(unknown.code == 1);
    CHECK_THAT(unknown.text, Catch::Contains("recipe.json") && Catch::Contains("sauce"));
}

TEST_CASE("a set that an older version began goes on or is told apart, and nothing of it is written over",
          "[cli][sets]") {
    const SetCard card({"lichen", "moss"});
    REQUIRE(card.run("--quiet").code == 0);
    const auto before = card.pictures("out");
    const fs::path records = card.scratch / "out/moorhaze-set/series";
    // Records of version 1 knew sizes, but no hashes; those before had the series' plain names.
    const auto write_older = [&](const fs::path& from, const fs::path& to) {
        auto record = nlohmann::ordered_json::parse(test::read_all(from));
        record["moorhaze_series"] = 1;
        for (auto& file : record["files"]) file.erase("hash");
        fs::remove(from);
        test::write_all(to, record.dump());
    };
    std::vector<fs::path> all;
    for (const auto& entry : fs::directory_iterator(records))
        if (entry.path().extension() == ".json") all.push_back(entry.path());
    REQUIRE(all.size() == 2);
    for (const fs::path& record : all) write_older(record, record);
    CHECK_THAT(card.run("--dry-run --quiet").text, Catch::Contains("done already"));
    CHECK(card.run("--quiet").code == 0);
    // One that was cut off since is noticed by its size alone.
    fs::resize_file(card.path("out/moss.tif"), 100);
    CHECK(card.run("--quiet --overwrite").code == 0);
    CHECK(card.pictures("out") == before);
    for (const fs::path& record : all)
        write_older(
            record,
            records / (record.filename().string().substr(0, record.filename().string().find('-')) + ".json"));
    const auto told = card.run("--quiet");
    CHECK(told.code == 1);
    CHECK_THAT(told.text, Catch::Contains("0 of 2 series done"));
    CHECK(card.pictures("out") == before);
    CHECK(card.run("--quiet --overwrite").code == 0);
    CHECK(card.pictures("out") == before);
}

TEST_CASE("a watched folder is worked on until it is stopped", "[cli][sets]") {
    const SetCard card({"a"});
    fs::create_directories(card.path("in"));
    Started run({MOORHAZE_CLI, "run", card.path("recipe.json"), card.path("in"), "--out", card.path("out"),
                 "--watch", "--quiet-for", "2", "--quiet"});
    fs::copy(card.path("card/a"), card.path("in/a"));
    const fs::path table = card.scratch / "out" / "moorhaze-set" / "outcome.json";
    for (int i = 0; i < 300 && !fs::exists(table); ++i)
        std::this_thread::sleep_for(std::chrono::milliseconds(100));
    CHECK(run.end(SIGTERM) == 0);
    REQUIRE(fs::exists(table));
    const auto outcome = nlohmann::json::parse(test::read_all(table));
    CHECK(outcome["series"][0]["name"] == "a 1");
    INFO(outcome.dump(1));
    CHECK(outcome["series"][0]["state"] == "done");
    CHECK(card.pictures("out").contains("a 1.tif"));
}

TEST_CASE("a full disc is told for each series, and leaves no part of a file", "[cli][sets]") {
    const SetCard card({"a", "b"}, {400, 300});
    // No file may grow beyond 100 kB: as on a disc with so little room (records still fit).
    const auto ran = test::run("ulimit -f 100; trap '' XFSZ; " + std::string(MOORHAZE_CLI) + " run " +
                               card.path("recipe.json") + " " + card.path("card") + " --out " +
                               card.path("out") + " --quiet");
    INFO(ran.text);
    CHECK(ran.code == 1);
    CHECK_THAT(ran.text, Catch::Contains("2 failed"));
    CHECK(card.pictures("out").empty());
    CHECK(card.run("--quiet").code == 0);
    CHECK(card.pictures("out").size() == 2);
}
