// SPDX-License-Identifier: GPL-3.0-or-later
// Discs, cards and machines as they are at night: too small, suddenly read-only, gone, killed, with another's
// clock. Whatever happens, it is said, no file is half, and going on gives what there would have been.
#include <catch2/catch.hpp>
#include <iostream>
#include <random>
#include <thread>

#include "core/files/picture_file.h"
#include "tests/cli/set_card.h"

using namespace moorhaze;
using test::SetCard;
using test::Started;
namespace fs = std::filesystem;

namespace {

/// File systems of one's own, where the machine lets a test have them.
bool may_mount() {
    static const bool may = [] {
        const test::Scratch scratch;
        const bool can = test::run("unshare -rm mount -t tmpfs tmpfs " + scratch.folder().string()).code == 0;
        if (!can) std::cerr << "no file systems of one's own here: a limit of file sizes stands for them\n";
        return can;
    }();
    return may;
}

/// Pictures below a folder decode, and nothing begun is left lying.
void check_is_whole(const fs::path& folder) {
    if (!fs::exists(folder)) return;
    for (const auto& entry : fs::recursive_directory_iterator(folder)) {
        INFO(entry.path());
        CHECK_FALSE(entry.path().filename().string().starts_with(".moorhaze-"));
        const std::string ending = entry.path().extension();
        if (ending == ".tif" || ending == ".jpg" || ending == ".png" || ending == ".jxl")
            CHECK_NOTHROW(read_picture(entry.path()));
    }
}

}  // namespace

TEST_CASE("on a disc that is too small a command says so and leaves nothing half", "[cli][discs]") {
    const SetCard card({"a", "b"});
    const std::string out = card.path("disc");
    // HERE holds card and recipe; the disc has room for all of it in the end.
    std::string arguments = GENERATE(
        as<std::string>(), "merge HERE/card/a -o HERE/disc/m.tif --report HERE/disc/r.json",
        "merge HERE/card/a -o HERE/disc/m.jpg", "finish HERE/card/a/frame-01.tif -o HERE/disc/f.png",
        "finish HERE/card/a/frame-01.tif -o HERE/disc/f.jxl", "align HERE/card/a --out HERE/disc/aligned",
        "run HERE/recipe.json HERE/card --out HERE/disc");
    for (auto at = arguments.find("HERE"); at != std::string::npos; at = arguments.find("HERE"))
        arguments.replace(at, 4, card.scratch.folder().string());
    constexpr int kRoomForAll_kb = 16384;
    const auto originals = test::contents_of(card.scratch / "card");
    int refused = 0;
    for (const int kb : {0, 16, 40, 100, 160, 400, 900, kRoomForAll_kb}) {
        INFO(arguments << " on " << kb << " KB");
        fs::remove_all(out);
        fs::remove_all(card.path("after"));
        fs::create_directories(out);
        const std::string call = std::string(MOORHAZE_CLI) + " " + arguments + " --quiet";
        const std::string and_look =
            call + "; code=$?; cp -a " + out + " " + card.path("after") + "; exit $code";
        // A disc has room for a block at least, which something takes.
        const std::string disc = "mount -t tmpfs -o size=" + std::to_string(kb + 4) + "k tmpfs " + out +
                                 " && head -c 4096 /dev/zero > " + out + "/taken || exit 7; ";
        const auto ran = may_mount() ? test::run("unshare -rm bash -c '" + disc + and_look + "'")
                                     : test::run("ulimit -f " + std::to_string(kb) + "; " + and_look);
        INFO(ran.code << ": " << ran.text);
        CHECK((ran.code == 0 || ran.code == 1));
        if (ran.code == 1) {
            ++refused;
            CHECK_FALSE(ran.text.empty());
        }
        check_is_whole(card.path("after"));
        if (kb == kRoomForAll_kb) CHECK(ran.code == 0);
    }
    INFO(arguments);
    CHECK(refused > 0);
    CHECK(test::contents_of(card.scratch / "card") == originals);
}

TEST_CASE("a disc that becomes read-only ends a set in words, and what was done stays done", "[cli][discs]") {
    if (!may_mount()) return;
    const SetCard card({"a", "b"});
    REQUIRE(card.run("--quiet", "whole").code == 0);
    const std::string out = card.path("out");
    fs::create_directories(out);
    const std::string run = std::string(MOORHAZE_CLI) + " run " + card.path("recipe.json") + " " +
                            card.path("card") + " --quiet --out " + out;
    const auto ran = test::run("unshare -rm bash -c 'mount -t tmpfs tmpfs " + out + "; " + run +
                               " --only 1 || exit 7; mount -o remount,ro " + out + "; " + run +
                               "; code=$?; cp -a " + out + " " + card.path("after") + "; exit $code'");
    INFO(ran.code << ": " << ran.text);
    CHECK(ran.code == 1);
    CHECK_THAT(ran.text, Catch::Contains("ead-only"));
    check_is_whole(card.path("after"));
    auto made = card.pictures("after");
    REQUIRE(made.size() == 1);
    CHECK(made.begin()->second == card.pictures("whole").at(made.begin()->first));
}

TEST_CASE("a card that goes away while a set is done fails its series by name, and the rest stays",
          "[cli][discs][interrupted]") {
    std::vector<std::string> names;
    for (char name = 'a'; name <= 'h'; ++name) names.emplace_back(1, name);
    const SetCard card(names);
    REQUIRE(card.run("--quiet", "whole").code == 0);
    Started run({MOORHAZE_CLI, "run", card.path("recipe.json"), card.path("card"), "--out", card.path("out"),
                 "--quiet"});
    REQUIRE(run.has_come_to([&] { return fs::exists(card.path("out/a.tif")); }));
    fs::rename(card.path("card"), card.path("in the bag"));
    CHECK(run.end(0) == 1);
    const auto whole = card.pictures("whole"), made = card.pictures("out");
    CHECK(made.size() < whole.size());
    for (const auto& [name, bytes] : made) CHECK(bytes == whole.at(name));
    check_is_whole(card.path("out"));
    const auto collected = test::run(std::string(MOORHAZE_CLI) + " run --collect --out " + card.path("out"));
    INFO(collected.text);
    CHECK_THAT(collected.text, Catch::Contains("failed"));
    // Back in its place, it goes on.
    fs::rename(card.path("in the bag"), card.path("card"));
    CHECK(card.run("--quiet").code == 0);
    CHECK(card.pictures("out") == whole);
}

TEST_CASE("two machines whose clocks are ten minutes apart share a set, though one of them dies",
          "[cli][discs][interrupted]") {
    std::vector<std::string> names;
    for (char name = 'a'; name <= 'h'; ++name) names.emplace_back(1, name);
    const SetCard card(names, {240, 160});
    REQUIRE(card.run("--quiet", "whole").code == 0);
    const auto whole = card.pictures("whole");
    const auto started = [&](int ahead_s) {
        return std::vector<std::string>{"/usr/bin/env",
                                        "LD_PRELOAD=" MOORHAZE_FAULT_LAYER,
                                        "MOORHAZE_CLOCK_AHEAD_S=" + std::to_string(ahead_s),
                                        MOORHAZE_CLI,
                                        "run",
                                        card.path("recipe.json"),
                                        card.path("card"),
                                        "--out",
                                        card.path("out"),
                                        "--quiet"};
    };
    std::mt19937 random(36);
    for (int i = 0; i < 3; ++i) {
        fs::remove_all(card.path("out"));
        Started ahead(started(600)), behind(started(-600));
        Started& lost = i % 2 ? ahead : behind;
        const size_t until = random() % (whole.size() / 2);
        REQUIRE(lost.has_come_to([&] { return card.pictures_so_far("out") >= until; }));
        lost.end(SIGKILL);
        const int code = (i % 2 ? behind : ahead).end(0);
        CHECK((code == 0 || code == 1));  // 1: a series was the other's at that moment, and that was said
        CHECK(card.run("--quiet").code == 0);
        CHECK(SetCard::finished(card.pictures("out")) == whole);
    }
}
