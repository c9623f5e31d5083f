// SPDX-License-Identifier: GPL-3.0-or-later
// The command line against names, files and folders that were made to hurt; a shell and the system say what
// happened.
#include <sys/stat.h>

#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>
#include <random>

#include "core/project/project_folder.h"
#include "core/series/watched_folder.h"
#include "core/sets/cluster_job.h"
#include "tests/support/card_files.h"
#include "tests/support/scratch.h"

using namespace moorhaze;
namespace fs = std::filesystem;

namespace {

test::Ran ran(const std::string& arguments) {
    return test::run(std::string(MOORHAZE_CLI) + " " + arguments);
}

std::map<std::string, std::string> frames_of_card(const test::Scratch& scratch) {
    return test::contents_of(scratch / "card");
}

constexpr const char* kPlainRecipe = R"({"moorhaze_recipe": 1, "area": "reference",
    "alignment": {"as_they_lie": true}, "merge": [{"method": "depth"}],
    "hand_over": {"outputs": [{"format": "png", "bits": 8, "name": "{series}"}]},
    "doubts": {"gap_steps": 1000}})";

}  // namespace

TEST_CASE("a shell gives back the very bytes that were quoted for it, from one line", "[cli][strangers]") {
    const test::Scratch scratch;
    std::mt19937 random(5);
    std::vector<std::string> words{"",  "'", "\\", "$(id)",     "a b",     "`id`", "!x",
                                   "*", "~", "\n", "a\nb'c\\d", "caf\xe9", "-n",   "\x7f\x01"};
    for (int i = 0; i < 60; ++i) {
        std::string word;
        for (int k = 0; k < 12; ++k) word += char(1 + random() % 255);
        words.push_back(word);
    }
    std::string line = "printf '%s\\0'", wanted;
    for (const std::string& word : words) {
        const std::string quoted = quoted_for_shell(word);
        CHECK(quoted.find('\n') == std::string::npos);
        line += " " + quoted;
        wanted += word + '\0';
    }
    test::write_all(scratch / "line.sh", line + "\n");
    REQUIRE(test::run("LC_ALL=C bash " + (scratch / "line.sh").string() + " > " + (scratch / "out").string())
                .code == 0);
    CHECK(test::read_all(scratch / "out") == wanted);
}

TEST_CASE("a folder's name with a line's end runs nothing, and its series is done like any other",
          "[cli][strangers]") {
    const test::Scratch scratch;
    const std::string evil =
        "x\ntouch " + (scratch / "hacked").string() + "\n'; touch hacked; echo $(touch hacked)";
    std::string folder = evil;
    std::replace(folder.begin(), folder.end(), '/', '_');
    test::write_card(scratch / "card", {folder, "good"}, {120, 80}, 3);
    test::write_all(scratch / "recipe.json", kPlainRecipe);
    const auto listed = ran("run " + (scratch / "recipe.json").string() + " " + (scratch / "card").string() +
                            " --out " + (scratch / "out").string() + " --list --quiet");
    INFO(listed.text);
    REQUIRE(listed.code == 0);
    CHECK(std::count(listed.text.begin(), listed.text.end(), '\n') == 2);
    test::write_all(scratch / "all.sh", listed.text);
    const auto done = test::run("cd " + scratch.folder().string() + " && bash all.sh");
    INFO(done.text);
    CHECK(done.code == 0);
    CHECK_FALSE(fs::exists(scratch / "hacked"));
    CHECK_FALSE(fs::exists("hacked"));
    int pictures = 0;
    for (const auto& file : fs::directory_iterator(scratch / "out"))
        pictures += file.path().extension() == ".png";
    CHECK(pictures == 2);
    const auto told = ran("run --collect --out " + (scratch / "out").string());
    CHECK(told.text.find('\n', told.text.find("touch")) > told.text.find("done"));
}

TEST_CASE("an original is written by no option of any command", "[cli][strangers]") {
    const test::Scratch scratch;
    test::write_card(scratch / "card", {"a"}, {120, 80}, 3);
    test::write_all(scratch / "recipe.json", kPlainRecipe);
    const auto before = frames_of_card(scratch);
    const std::string card = (scratch / "card").string(), frames = card + "/a",
                      frame = frames + "/frame-01.tif", out = (scratch / "out.png").string();
    fs::create_symlink(frame, scratch / "link.tif");
    const std::string link = (scratch / "link.tif").string();
    for (const std::string& attempt :
         {"merge " + frames + " -o " + frame, "merge " + frames + " -o " + link,
          "merge " + frames + " -o " + out + " --report " + frame,
          "merge " + frames + " -o " + out + " --depth-out " + frame,
          "merge " + frames + " -o " + out + " --source-out " + link,
          "align " + frames + " --report " + frame, "finish " + frame + " -o " + frame,
          "run " + (scratch / "recipe.json").string() + " " + frames + " --out " + frames})
        for (const char* more : {"", " --overwrite"}) {
            const auto refused = ran(attempt + more + " --quiet");
            INFO(attempt << more << ": " << refused.text);
            CHECK(refused.code != 0);
            CHECK(refused.text.find('\n') + 1 == refused.text.size());
            CHECK(frames_of_card(scratch) == before);
        }
    CHECK_FALSE(fs::exists(out));
}

TEST_CASE("a report, a plane or a setup that is there is replaced only with --overwrite",
          "[cli][strangers]") {
    const test::Scratch scratch;
    test::write_card(scratch / "card", {"a"}, {120, 80}, 3);
    const std::string frames = (scratch / "card/a").string(), out = (scratch / "out.png").string(),
                      there = (scratch / "there").string();
    for (const std::string& command :
         {"merge " + frames + " -o " + out + " --report " + there,
          "merge " + frames + " -o " + out + " --depth-out " + there,
          "align " + frames + " --report " + there, "plan --depth 20 --save " + there}) {
        test::write_all(there, "mine");
        const auto refused = ran(command + " --quiet");
        INFO(command << ": " << refused.text);
        CHECK(refused.code == 1);
        CHECK_THAT(refused.text, Catch::Contains("exists already"));
        CHECK(test::read_all(there) == "mine");
        CHECK_FALSE(fs::exists(out));
        const auto done = ran(command + " --quiet --overwrite");
        INFO(done.text);
        CHECK(done.code == 0);
        CHECK(test::read_all(there) != "mine");
        fs::remove(out);
    }
}

TEST_CASE("a project without frames, a pipe among the frames and a link in a circle are told",
          "[cli][strangers]") {
    const test::Scratch scratch;
    test::write_card(scratch / "card", {"a"}, {120, 80}, 3);
    fs::create_directory(scratch / "p");
    test::write_all(scratch / "p" / "p.moorhaze", R"({"moorhaze_project": 1, "name": "p", "frames": []})");
    const auto empty =
        ran("merge " + (scratch / "p").string() + " -o " + (scratch / "x.tif").string() + " --quiet");
    INFO(empty.text);
    CHECK(empty.code == 1);
    REQUIRE(mkfifo((scratch / "card/a/frame-02b.tif").c_str(), 0600) == 0);
    REQUIRE(mkfifo((scratch / "named.jpg").c_str(), 0600) == 0);
    fs::create_directory_symlink(scratch / "card/a", scratch / "card/a/round");
    const auto inside =
        test::run("timeout 60 " MOORHAZE_CLI " inspect " + (scratch / "card/a").string() + " --json --quiet");
    CHECK(inside.code == 0);
    const auto named =
        test::run("timeout 60 " MOORHAZE_CLI " inspect " + (scratch / "named.jpg").string() + " --quiet");
    CHECK(named.code == 1);
    CHECK_THAT(named.text, Catch::Contains("pipe"));
}

TEST_CASE("a name that begins like an address is a file's, and nobody is asked for it", "[cli][strangers]") {
    const test::Scratch scratch;
    test::write_card(scratch / "card", {"a"}, {120, 80}, 3);
    // A path of which the first parts look like an address.
    fs::create_directories(scratch / "http:" / "heath.invalid");
    for (int i = 1; i <= 3; ++i)
        fs::copy_file(scratch / "card/a" / ("frame-0" + std::to_string(i) + ".tif"),
                      scratch / "http:" / "heath.invalid" / ("f-" + std::to_string(i) + ".tif"));
    const std::string trace = (scratch / "trace").string();
    const std::string command = "cd " + scratch.folder().string() +
                                " && " MOORHAZE_CLI
                                " merge http://heath.invalid/f-1.tif http://heath.invalid/f-2.tif "
                                "http://heath.invalid/f-3.tif -o out.jpg --no-align --quiet";
    // Without a network there is nobody to ask; where namespaces are not allowed the command itself has to
    // do.
    const bool apart = test::run("unshare -n true").code == 0;
    const auto merged = test::run(apart ? "unshare -n bash -c '" + command + "'" : command);
    INFO(merged.text);
    CHECK(merged.code == 0);
    CHECK(fs::exists(scratch / "out.jpg"));
}

TEST_CASE("names that are no text, and names in brackets, are names like any other", "[cli][strangers]") {
    const test::Scratch scratch;
    const std::string odd = "caf\xe9 \xff";
    test::write_card(scratch / "card", {odd, "good"}, {120, 80}, 3);
    fs::rename(scratch / "card" / odd / "frame-02.tif", scratch / "card" / odd / "frame-02\xe9.tif");
    test::write_all(scratch / "recipe.json", kPlainRecipe);
    const std::string command = "run " + (scratch / "recipe.json").string() + " " +
                                (scratch / "card").string() + " --out " + (scratch / "out").string();
    const auto done = ran(command);
    INFO(done.text);
    CHECK(done.code == 0);
    CHECK_THAT(done.text, Catch::Contains("2 of 2 series done"));
    CHECK(fs::exists(scratch / "out" / (odd + ".png")));
    CHECK_THAT(ran(command + " --dry-run --quiet").text, Catch::Contains("done already"));
    const auto outcome = test::read_all(scratch / "out/moorhaze-set/outcome.json");
    CHECK(nlohmann::json::parse(outcome).is_object());  // a reader that takes nothing but UTF-8

    fs::create_directory(scratch / "[b]");
    for (int i = 1; i <= 3; ++i)
        fs::copy_file(scratch / "card/good" / ("frame-0" + std::to_string(i) + ".tif"),
                      scratch / "[b]" / (std::to_string(i) + ".tif"));
    const auto merged = test::run("cd " + scratch.folder().string() + " && " + MOORHAZE_CLI +
                                  " merge '[b]' -o b.tif --quiet");
    INFO(merged.text);
    CHECK(merged.code == 0);
    CHECK(fs::exists(scratch / "b.tif"));
}

TEST_CASE("two series whose pictures come to one name do not both count as done", "[cli][strangers]") {
    const test::Scratch scratch;
    test::write_card(scratch / "card", {"one", "two"}, {120, 80}, 3);
    std::string recipe = kPlainRecipe;
    const std::string name = "{series}";
    recipe.replace(recipe.find(name), name.size(), "{width}x{height}");
    test::write_all(scratch / "recipe.json", recipe);
    const auto done = ran("run " + (scratch / "recipe.json").string() + " " + (scratch / "card").string() +
                          " --out " + (scratch / "out").string() + " --overwrite");
    INFO(done.text);
    CHECK_THAT(done.text, !Catch::Contains("2 of 2 series done"));
}

TEST_CASE("frames, tables and profiles are found from wherever a command is called", "[cli][strangers]") {
    const test::Scratch scratch;
    test::write_card(scratch / "card", {"knob"}, {120, 80}, 3);
    fs::create_directories(scratch / "work");
    std::string recipe = kPlainRecipe;
    const std::string name = "{series}";
    recipe.replace(recipe.find(name), name.size(), "{article}");
    recipe.replace(recipe.find("}]},"), 4, "}], \"article_list\": \"articles.csv\"},");
    // Doubtful, so that its project is kept to be looked at.
    recipe.replace(recipe.find("\"as_they_lie\": true"), 19, "\"as_they_lie\": false");
    recipe.replace(recipe.find("\"gap_steps\": 1000"), 17, "\"residual_px\": 0.000001");
    test::write_all(scratch / "recipe.json", recipe);
    test::write_all(scratch / "articles.csv", "knob;4711\n");
    // Frames relative to where it is called, the place of the pictures not.
    const auto done = test::run("cd " + (scratch / "work").string() + " && " + MOORHAZE_CLI +
                                " run ../recipe.json ../card --out " + (scratch / "out").string());
    INFO(done.text);
    REQUIRE(fs::exists(scratch / "out/4711.png"));
    std::vector<fs::path> kept;
    for (const auto& file : fs::recursive_directory_iterator(scratch / "out"))
        if (file.path().extension() == ".moorhaze") kept.push_back(file.path());
    REQUIRE(kept.size() == 1);
    const OpenedProject opened = open_project(kept[0], {});
    CHECK(opened.missing.empty());
    CHECK(opened.saved.project.frames.size() == 3);
}

TEST_CASE("a spin page deletes neither its sources nor what somebody added to it", "[cli][strangers]") {
    const test::Scratch scratch;
    test::write_card(scratch / "card", {"a"}, {120, 80}, 3);
    const fs::path page = scratch / "page";
    fs::create_directories(page / "originals");
    for (int i = 1; i <= 3; ++i)
        fs::copy_file(scratch / "card/a" / ("frame-0" + std::to_string(i) + ".tif"),
                      page / "originals" / ("v-" + std::to_string(i) + ".tif"));
    for (const char* file : {"spin.js", "views.js"}) test::write_all(page / file, "old");
    const auto before = test::contents_of(page);
    const auto own =
        ran("spin " + (page / "originals").string() + " -o " + page.string() + " --overwrite --quiet");
    INFO(own.text);
    CHECK(own.code == 1);
    CHECK(test::contents_of(page) == before);

    const fs::path other = scratch / "other";
    REQUIRE(ran("spin " + (page / "originals").string() + " -o " + other.string() + " --quiet").code == 0);
    test::write_all(other / "notes.txt", "mine");
    REQUIRE(ran("spin " + (page / "originals").string() + " -o " + other.string() + " --overwrite --quiet")
                .code == 0);
    CHECK(test::read_all(other / "notes.txt") == "mine");
    CHECK(fs::exists(other / "views.js"));
    for (const auto& entry : fs::directory_iterator(scratch.folder()))
        CHECK_FALSE(entry.path().filename().string().starts_with(".moorhaze"));

    // A title says what it says.
    REQUIRE(ran("spin " + (page / "originals").string() + " -o " + (scratch / "titled").string() +
                " --title 'knob {width} {first} {' --quiet")
                .code == 0);
    CHECK_THAT(test::read_all(scratch / "titled/index.html"), Catch::Contains("knob {width} {first} {"));
}

TEST_CASE("a command that is asked to end leaves no part of a file, and what cannot be printed is no success",
          "[cli][strangers]") {
    const test::Scratch scratch;
    test::write_card(scratch / "card", {"a"}, {1200, 800}, 6);
    const std::string frames = (scratch / "card/a").string(), out = (scratch / "out.tif").string();
    int stopped = 0;
    for (const char* seconds : {"0.1", "0.3", "0.5", "0.7", "0.9"}) {
        fs::remove(out);
        const std::string command = std::string("timeout -s TERM ") + seconds + " " MOORHAZE_CLI " merge " +
                                    frames + " -o " + out + " --quiet";
        stopped += test::run(command).code != 0;
        if (fs::exists(out)) CHECK(is_complete_picture(out));  // the signal came when it was written already
        for (const auto& entry : fs::directory_iterator(scratch.folder())) {
            INFO(seconds << " s: " << entry.path());
            CHECK_FALSE(entry.path().filename().string().starts_with(".moorhaze"));
        }
    }
    CHECK(stopped > 0);
    const auto full = test::run(std::string("(" MOORHAZE_CLI " simulate --list > /dev/full)"));
    CHECK(full.code == 1);
}

TEST_CASE("a picture that the disc has no room for is said in every format, and leaves nothing",
          "[cli][strangers]") {
    const test::Scratch scratch;
    // Grain, so that no format makes it small.
    std::mt19937 random(11);
    Picture grainy{cv::Mat(180, 240, CV_16UC3), {}, {}};
    for (int y = 0; y < grainy.height(); ++y)
        for (int x = 0; x < grainy.width(); ++x)
            for (int c = 0; c < 3; ++c) grainy.pixels.at<cv::Vec3w>(y, x)[c] = std::uint16_t(random());
    const fs::path frame = scratch / "frame.png";
    write_picture(frame, grainy, {}, {}, {});
    for (const char* ending : {".tif", ".jpg", ".png", ".jxl", ".ora"}) {
        const fs::path out = scratch / (std::string("picture") + ending);
        const std::string finish = std::string(MOORHAZE_CLI) + " finish " + frame.string() + " -o " +
                                   out.string() + " --keywords bog --title cotton --overwrite --quiet";
        REQUIRE(test::run(finish).code == 0);
        const std::string whole = test::read_all(out);
        const auto blocks = long(whole.size()) / 1024;  // bash counts so
        REQUIRE(blocks > 8);
        fs::remove(out);
        // Room for nothing, for some of it, and for all but the last block; a picture that is there stays.
        for (const long room : {0L, blocks / 3, blocks - 1})
            for (const bool was_there : {false, true}) {
                INFO(ending << ", " << room << " of " << blocks << " blocks"
                            << (was_there ? ", replacing" : ""));
                if (was_there) test::write_all(out, whole);
                const auto ran = test::run("ulimit -f " + std::to_string(room) + "; trap '' XFSZ; " + finish);
                CHECK(ran.code == 1);
                CHECK_THAT(ran.text, Catch::Contains("picture"));
                CHECK(fs::exists(out) == was_there);
                if (was_there) CHECK(test::read_all(out) == whole);
                fs::remove(out);
                for (const auto& entry : fs::directory_iterator(scratch.folder()))
                    CHECK(entry.path() == frame);
            }
    }
}
