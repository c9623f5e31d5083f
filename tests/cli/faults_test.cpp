// SPDX-License-Identifier: GPL-3.0-or-later
// One call of the system's functions fails, comes short or is interrupted (tests/faults/fault_layer.cpp),
// each in turn: whatever fails, it is said, or what was asked for is there; nothing of a file stands for the
// whole; originals and what was there before stay; nothing is left lying; and going on gives what there would
// have been. A few calls of each kind here; all of them with MOORHAZE_FAULTS=all, which takes half an hour.
#include <catch2/catch.hpp>
#include <cstdlib>
#include <nlohmann/json.hpp>
#include <sstream>

#include "core/files/picture_file.h"
#include "core/series/watched_folder.h"
#include "tests/support/card_files.h"
#include "tests/support/scratch.h"

using namespace moorhaze;
namespace fs = std::filesystem;

namespace {

struct FaultyCommand {
    std::string name, arguments;  ///< CARD, FRAME, RECIPE and OUT stand for paths
    /// Where a run of many says what went wrong with one: a record's members; empty: on the terminal.
    std::string says_in = {};
};

const std::vector<FaultyCommand>& faulty_commands() {
    static const std::vector<FaultyCommand> all = {
        {"merge", "merge CARD/a -o OUT/m.tif --report OUT/r.json --overwrite"},
        {"finish to JPEG", "finish FRAME -o OUT/f.jpg --title cotton --brighten 0.3 --overwrite"},
        {"finish to PNG", "finish FRAME -o OUT/f.png --title cotton --brighten 0.3 --overwrite"},
        {"finish to JPEG XL", "finish FRAME -o OUT/f.jxl --title cotton --brighten 0.3 --overwrite"},
        {"run", "run RECIPE CARD --out OUT --quiet", "moorhaze-set/series"}};
    return all;
}

constexpr const char* kFaultRecipe =
    R"({"moorhaze_recipe": 1, "area": "reference", "merge": [{"method": "depth"}],
    "hand_over": {"outputs": [{"format": "jpeg", "bits": 8, "name": "{series}"}], "about": {"title": "bog"}}})";

/// What is left of a terminal's text when lines of progress, which end with a share, are gone.
std::string without_progress(const std::string& text) {
    std::string left, line;
    for (const char own : text + "\n") {
        if (own != '\n' && own != '\r') {
            line += own;
            continue;
        }
        if (!line.empty() && !line.ends_with('%')) left += line + "\n";
        line.clear();
    }
    return left;
}

class FaultyRuns {
  public:
    explicit FaultyRuns(const FaultyCommand& command) : command_(command) {
        test::write_card(scratch_ / "card", {"a"}, {180, 120}, 3);
        test::write_all(scratch_ / "recipe.json", kFaultRecipe);
        originals_ = test::contents_of(scratch_ / "card");
        begin_anew();
        const auto counted = run("MOORHAZE_FAULT_COUNTS=" + (scratch_ / "counts").string());
        INFO(counted.text);
        REQUIRE(counted.code == 0);
        undisturbed_ = pictures();
        REQUIRE_FALSE(undisturbed_.empty());
        std::istringstream lines(test::read_all(scratch_ / "counts"));
        for (auto [kind, count] = std::pair(std::string(), 0L); lines >> kind >> count;)
            counts_.emplace_back(kind, count);
    }
    const std::vector<std::pair<std::string, long>>& counts() const { return counts_; }

    void fail(const std::string& kind, long call, const std::string& how) {
        INFO(command_.name << ": " << kind << " " << call << " " << how);
        begin_anew();
        const auto ran = run("MOORHAZE_FAULT='" + kind + " " + std::to_string(call) + " " + how + "'");
        INFO("ended with " << ran.code << ": " << ran.text);
        CHECK((ran.code == 0 || ran.code == 1));  // neither a crash nor another's exit code
        const auto made = pictures();
        const std::string said = without_progress(ran.text) + said_in_records();
        if (ran.code != 0) CHECK_FALSE(said.empty());
        for (const auto& [name, bytes] : made) {
            INFO(name);
            CHECK(is_complete_picture(scratch_ / "out" / name));
        }
        if (ran.code == 0 && made != undisturbed_) CHECK_FALSE(said.empty());
        for (const auto& entry : fs::recursive_directory_iterator(scratch_ / "out"))
            CHECK_FALSE(entry.path().filename().string().starts_with(".moorhaze-"));
        CHECK(test::contents_of(scratch_ / "card") == originals_);
        if (ran.code == 0) return;
        const auto again = run("");
        INFO("again: " << again.text);
        CHECK(again.code == 0);
        CHECK(pictures() == undisturbed_);
    }

  private:
    void begin_anew() {
        fs::remove_all(scratch_ / "out");
        fs::create_directories(scratch_ / "out");
    }
    test::Ran run(const std::string& environment) {
        std::string arguments = command_.arguments;
        for (const auto& [word, path] : {std::pair<std::string, fs::path>{"CARD", scratch_ / "card"},
                                         {"FRAME", scratch_ / "card/a/frame-01.tif"},
                                         {"RECIPE", scratch_ / "recipe.json"},
                                         {"OUT", scratch_ / "out"}})
            for (auto at = arguments.find(word); at != std::string::npos; at = arguments.find(word))
                arguments.replace(at, word.size(), path.string());
        const std::string layer =
            environment.empty() ? "" : environment + " LD_PRELOAD=" MOORHAZE_FAULT_LAYER " ";
        return test::run(layer + MOORHAZE_CLI " " + arguments);
    }
    /// Pictures that leave, by name; small ones beside records are none.
    std::map<std::string, std::string> pictures() const {
        std::map<std::string, std::string> all;
        for (const auto& entry : fs::directory_iterator(scratch_ / "out"))
            if (entry.is_regular_file() && entry.path().extension() != ".json")
                all[entry.path().filename().string()] = test::read_all(entry.path());
        return all;
    }
    std::string said_in_records() const {
        std::string said;
        if (command_.says_in.empty() || !fs::exists(scratch_ / "out" / command_.says_in)) return said;
        for (const auto& entry : fs::directory_iterator(scratch_ / "out" / command_.says_in)) {
            if (entry.path().extension() != ".json") continue;
            const auto record = nlohmann::json::parse(test::read_all(entry.path()));
            for (const char* list : {"reasons", "warnings"})
                for (const auto& own : record.value(list, nlohmann::json::array()))
                    said += own.get<std::string>();
        }
        return said;
    }

    const FaultyCommand& command_;
    test::Scratch scratch_;
    std::map<std::string, std::string> originals_, undisturbed_;
    std::vector<std::pair<std::string, long>> counts_;
};

}  // namespace

TEST_CASE("whatever call of the system fails, nothing is lost, half or silent", "[cli][faults]") {
    const char* wish = std::getenv("MOORHAZE_FAULTS");
    const bool all = wish && std::string(wish) == "all";
    const FaultyCommand& command = GENERATE(from_range(faulty_commands()));
    FaultyRuns runs(command);
    for (const auto& [kind, count] : runs.counts()) {
        // The library that encodes JPEG XL ends the program where it gets no memory.
        if (kind == "allocate" && command.name == "finish to JPEG XL") continue;
        const bool is_stream = kind == "write" || kind == "read";
        for (const char* how : {"fails", "short", "interrupted"}) {
            if (!is_stream && std::string(how) != "fails") continue;
            const long step = all ? 1 : std::max(1L, count / (is_stream ? 2 : 3));
            for (long call = all ? 1 : (step + 1) / 2; call <= count; call += step)
                runs.fail(kind, call, how);
        }
    }
}
