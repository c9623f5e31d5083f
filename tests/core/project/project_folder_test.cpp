// SPDX-License-Identifier: GPL-3.0-or-later
// Projects on disc: written, read, damaged, moved, and what they keep of results.
#include <sys/stat.h>

#include <catch2/catch.hpp>
#include <fstream>
#include <sstream>

#include "core/focus/profile_cache.h"
#include "core/project/align_series.h"
#include "core/project/edits.h"
#include "core/project/merge_series.h"
#include "core/project/project_folder.h"
#include "core/project/project_json.h"
#include "core/project/result_files.h"
#include "tests/core/project/random_project.h"
#include "tests/support/series_files.h"

using namespace moorhaze;
namespace fs = std::filesystem;

namespace {

constexpr int kFrames = 5;

/// A series on disc in a folder of its own, and a project of it beside.
struct Kept {
    test::Scratch scratch;
    fs::path frames = scratch / "bog-cotton";
    fs::path file = scratch / "work" / "bog-cotton" / "bog-cotton.moorhaze";
    Series series;
    SavedProject saved;

    Kept() {
        fs::create_directories(frames);
        const test::Scratch written;
        test::write_series(written, test::strip_series({160, 90}, kFrames));
        for (const auto& entry : fs::directory_iterator(written.folder()))
            fs::copy_file(entry.path(), frames / entry.path().filename());
        series = open_series({frames}, {}).series;
        saved.project = with_series({}, series, {}, std::nullopt);
        saved.frame_size = series.size();
        saved.standing = {"mend", saved.project.frames[2].id, std::nullopt};
    }
};

std::string text_of(const fs::path& file) {
    std::ifstream in(file);
    std::ostringstream text;
    text << in.rdbuf();
    return text.str();
}

void write(const fs::path& file, const std::string& text) {
    std::ofstream(file) << text;
}

bool same(const cv::Mat& one, const cv::Mat& other) {
    return one.size() == other.size() && one.type() == other.type() &&
           (one.empty() || cv::norm(one, other, cv::NORM_INF) == 0);
}

}  // namespace

TEST_CASE("a project that was saved and opened is equal, with where the person was", "[project][folder]") {
    Kept kept;
    kept.saved.project = with_used(kept.saved.project, kept.saved.project.frames[1].id, false);
    save_project(kept.file, kept.saved);
    const OpenedProject opened = open_project(kept.file, {});
    CHECK(opened.saved == kept.saved);
    CHECK(opened.missing.empty());
    CHECK(opened.facts.at(kept.saved.project.frames[3].id).width == 160);
    CHECK(is_project(kept.file));
    CHECK(is_project(kept.file.parent_path()));
    CHECK_FALSE(is_project(kept.frames));
    CHECK(project_file(kept.file.parent_path()) == kept.file);
}

TEST_CASE("a project moved with its frames finds them beside, one moved alone where they lay",
          "[project][folder]") {
    const Kept kept;
    save_project(kept.file, kept.saved);
    SECTION("together") {
        const fs::path elsewhere = kept.scratch / "other disc";
        fs::create_directories(elsewhere);
        fs::rename(kept.scratch / "work", elsewhere / "work");
        fs::rename(kept.frames, elsewhere / "bog-cotton");
        const auto opened = open_project(elsewhere / "work" / "bog-cotton" / "bog-cotton.moorhaze", {});
        CHECK(opened.missing.empty());
        CHECK(opened.saved.project.frames[0].path.parent_path() == elsewhere / "bog-cotton");
    }
    SECTION("alone") {
        const fs::path to = kept.scratch / "far" / "away" / "renamed" / "renamed.moorhaze";
        move_project(kept.file, to, {});
        CHECK_FALSE(fs::exists(kept.file.parent_path()));
        const auto opened = open_project(to, {});
        CHECK(opened.missing.empty());
        CHECK(opened.saved.project.frames[0].path.parent_path() == kept.frames);
    }
}

TEST_CASE("frames that were moved and renamed are found by what they hold, missing ones are named",
          "[project][folder]") {
    Kept kept;
    std::vector<std::pair<FrameId, std::string>> keys;
    for (const ProjectFrame& frame : kept.saved.project.frames)
        keys.emplace_back(frame.id, content_key_of(frame.path, {}));
    kept.saved.project = with_content_keys(kept.saved.project, keys);
    save_project(kept.file, kept.saved);

    const fs::path elsewhere = kept.scratch / "attic" / "deeper";
    fs::create_directories(elsewhere);
    int number = 0;
    for (const ProjectFrame& frame : kept.saved.project.frames) {
        if (number != 3) fs::copy_file(frame.path, elsewhere / ("x" + std::to_string(9 - number) + ".tif"));
        ++number;
    }
    // Names alone prove nothing: this one holds something else.
    fs::copy_file(kept.saved.project.frames[0].path,
                  elsewhere / kept.saved.project.frames[3].path.filename());
    fs::remove_all(kept.frames);

    const OpenedProject opened = open_project(kept.file, {});
    REQUIRE(opened.missing.size() == kFrames);
    CHECK_THAT(names_in_words(opened.saved.project, opened.missing), Catch::Contains("and 2 more"));
    CHECK(opened.facts.at(opened.missing[0]).width == 160);  // as far as is known
    const auto found = find_frames(opened.saved.project, opened.missing, kept.scratch / "attic", {});
    CHECK(found.size() == kFrames - 1);
    const Project whole = with_frame_paths(opened.saved.project, found);
    CHECK(content_key_of(whole.frames[2].path, {}) == keys[2].second);
    CHECK(whole.frames[3].path == opened.saved.project.frames[3].path);
    CHECK_THROWS_AS(find_frames(opened.saved.project, opened.missing, kept.scratch / "nowhere", {}),
                    FileError);
}

TEST_CASE("frames that were never read are found by their names", "[project][folder]") {
    const Kept kept;
    save_project(kept.file, kept.saved);
    const fs::path elsewhere = kept.scratch / "attic";
    fs::rename(kept.frames, elsewhere);
    const OpenedProject opened = open_project(kept.file, {});
    CHECK(find_frames(opened.saved.project, opened.missing, elsewhere, {}).size() == kFrames);
}

TEST_CASE("a project damaged at any place is refused in words or still a sound one, never worse",
          "[project][folder]") {
    Kept kept;
    test::RandomWork work(7);
    Project project = work.begin();
    for (int step = 0; step < 40; ++step)
        project = step % 3 == 2 ? work.happening(project)(project) : work.edited(project);
    kept.saved.project = project;
    save_project(kept.file, kept.saved);
    const std::string whole = text_of(kept.file);
    REQUIRE(whole.size() > 2000);
    int refused = 0, taken = 0;
    for (std::size_t place = 0; place < whole.size(); place += 10) {
        std::string text = whole;
        if (place % 20 == 0)
            text.resize(place);  // cut off
        else
            text[place] = char('0' + (text[place] + place) % 77);
        write(kept.file, text);
        try {
            const OpenedProject opened = open_project(kept.file, {});
            series_of(opened.saved.project, opened.facts);
            chosen_frames(opened.saved.project);
            ++taken;
        } catch (const FileError& error) {
            CHECK_THAT(error.what(), Catch::Contains("bog-cotton.moorhaze"));
            ++refused;
        }
    }
    CHECK(refused > taken / 2);
    CHECK(taken > 0);  // a letter within a name harms nothing
}

namespace {
std::string version_line(int version = kProjectVersion) {
    return "\"moorhaze_project\": " + std::to_string(version);
}
}  // namespace

TEST_CASE("what a hand may get wrong in a project is named", "[project][folder]") {
    const Kept kept;
    save_project(kept.file, kept.saved);
    const std::string whole = text_of(kept.file);
    auto refused = [&](const std::string& from, const std::string& to) {
        std::string text = whole;
        const auto place = text.find(from);
        REQUIRE(place != std::string::npos);
        write(kept.file, text.replace(place, from.size(), to));
        try {
            open_project(kept.file, {});
        } catch (const FileError& error) {
            return std::string(error.what());
        }
        return std::string("taken");
    };
    CHECK_THAT(refused("\"id\": 2", "\"id\": 1"), Catch::Contains("two frames have the number 1"));
    CHECK_THAT(refused("\"nearest\": null", "\"nearest\": 77"), Catch::Contains("it has not"));
    CHECK_THAT(refused("\"detail_size_px\": 4", "\"detail_size_px\": 4000"), Catch::Contains("detail"));
    CHECK_THAT(refused("\"method\": \"woven\"", "\"method\": \"magic\""), Catch::Contains("magic"));
    CHECK_THAT(refused(version_line(), "\"something\": 2"), Catch::Contains("no project"));
}

TEST_CASE("a project that a newer program saved, or that cannot be read now, is not called damaged",
          "[project][folder]") {
    const Kept kept;
    save_project(kept.file, kept.saved);
    save_project(kept.file, kept.saved);  // so that there is one before it, which nobody may take
    const std::string whole = text_of(kept.file);
    const auto with = [&](const std::string& from, const std::string& to) {
        std::string text = whole;
        REQUIRE(text.find(from) != std::string::npos);
        write(kept.file, text.replace(text.find(from), from.size(), to));
    };
    // Another version, and what would be lost by saving again, wherever it stands.
    for (const auto& [from, to] :
         {std::pair<std::string, std::string>{version_line(), version_line(kProjectVersion + 1)},
          {"\"turned_round\"", "\"tilted\": true, \"turned_round\""},
          {"\"mend_dust\"", "\"mend_more\": 1, \"mend_dust\""},
          {"\"used\": true", "\"used\": true, \"stars\": 4"}}) {
        INFO(to);
        with(from, to);
        CHECK_THROWS_AS(open_project(kept.file, {}), NewerFile);
        CHECK_THROWS_WITH(open_project(kept.file, {}),
                          Catch::Contains("bog-cotton.moorhaze") && Catch::Contains("newer") &&
                              !Catch::Contains("damaged") && !Catch::Contains("still there"));
    }
    // One of before has no such promise: what was left out of the format since is passed over.
    with(version_line(), version_line(1) + ", \"left_out_since\": true");
    CHECK(open_project(kept.file, {}).saved == kept.saved);
    with("\"frames\"", "\"fra");
    CHECK_THROWS_AS(open_project(kept.file, {}), DamagedProject);
    // Not there now: a disc that is away.
    fs::rename(kept.file, kept.scratch / "away");
    try {
        open_project(kept.file, {});
        FAIL("opened");
    } catch (const DamagedProject&) {
        FAIL("called damaged");
    } catch (const FileError& error) {
        CHECK_THAT(error.what(), Catch::Contains("cannot be read"));
    }
}

TEST_CASE("frames whose names are no text are kept by their bytes", "[project][folder]") {
    Kept kept;
    const fs::path odd = kept.frames / "caf\xe9 \xff.tif";
    fs::rename(kept.saved.project.frames[1].path, odd);
    kept.saved.project = with_frame_paths(kept.saved.project, {{kept.saved.project.frames[1].id, odd}});
    save_project(kept.file, kept.saved);
    const OpenedProject opened = open_project(kept.file, {});
    CHECK(opened.missing.empty());
    CHECK(opened.saved == kept.saved);
    CHECK(opened.saved.project.frames[1].path.native() == odd.native());
}

TEST_CASE("a project that goes to another disc is there whole before the old one goes", "[project][folder]") {
    const Kept kept;
    save_project(kept.file, kept.saved);
    fs::create_directories(kept.file.parent_path() / "results" / "deeper");
    write(kept.file.parent_path() / "results" / "deeper" / "large", std::string(3'000'000, 'x'));
    const test::Scratch other(std::filesystem::path("/dev/shm"));
    struct stat here {
    }, there{};
    REQUIRE(stat(kept.scratch.folder().c_str(), &here) == 0);
    REQUIRE(stat(other.folder().c_str(), &there) == 0);
    if (here.st_dev == there.st_dev) WARN("there is no second file system here: it is only renamed");
    const fs::path to = other / "kept" / "cotton" / "cotton.moorhaze";
    move_project(kept.file, to, {});
    CHECK_FALSE(fs::exists(kept.file.parent_path()));
    CHECK(fs::file_size(to.parent_path() / "results" / "deeper" / "large") == 3'000'000);
    CHECK(open_project(to, {}).saved.project.frames == kept.saved.project.frames);
    // Stopped on the way, it lies where it was, and nothing half lies there.
    std::stop_source stop;
    stop.request_stop();
    if (here.st_dev != there.st_dev) {
        CHECK_THROWS_AS(move_project(to, kept.scratch / "back" / "back.moorhaze", {stop.get_token(), {}}),
                        Cancelled);
        CHECK(fs::exists(to));
        CHECK_FALSE(fs::exists(kept.scratch / "back"));
        CHECK_FALSE(fs::exists(kept.scratch / ".moorhaze-back"));
    }
}

TEST_CASE("the project that was saved before stays beside, and can be taken", "[project][folder]") {
    Kept kept;
    save_project(kept.file, kept.saved);
    CHECK_FALSE(fs::exists(last_good(kept.file)));
    SavedProject later = kept.saved;
    later.project = with_used(later.project, later.project.frames[0].id, false);
    save_project(kept.file, later);
    write(kept.file, "{\"moorhaze_project\"");
    CHECK_THROWS_WITH(open_project(kept.file, {}), Catch::Contains("saved before it is still there"));
    take_last_good(kept.file);
    CHECK(open_project(kept.file, {}).saved == kept.saved);
    CHECK(fs::exists(kept.file.string() + ".damaged"));
}

TEST_CASE("a folder that cannot be written is said, and what was there stays whole", "[project][folder]") {
    const Kept kept;
    save_project(kept.file, kept.saved);
    const std::string before = text_of(kept.file);
    SavedProject later = kept.saved;
    later.standing.stage = "cull";
    // A file stands where the folder would have to be.
    write(kept.scratch / "stone", "");
    CHECK_THROWS_WITH(save_project(kept.scratch / "stone" / "a" / "a.moorhaze", later),
                      Catch::Contains("stone") && Catch::Contains("another place"));
    CHECK(text_of(kept.file) == before);
}

TEST_CASE("projects of one name get folders of their own, and names that no disc takes are made fit",
          "[project][folder]") {
    const test::Scratch scratch;
    CHECK(free_project_file(scratch.folder(), "lichen") == scratch / "lichen" / "lichen.moorhaze");
    fs::create_directory(scratch / "lichen");
    CHECK(free_project_file(scratch.folder(), "lichen") == scratch / "lichen-2" / "lichen-2.moorhaze");
    CHECK(free_project_file(scratch.folder(), "a/b:c") == scratch / "a-b-c" / "a-b-c.moorhaze");
    CHECK(free_project_file(scratch.folder(), "..") == scratch / "series" / "series.moorhaze");
}

TEST_CASE("a result comes back bit by bit with the planes that tell how it was made", "[project][folder]") {
    const Kept kept;
    const fs::path folder = kept.file.parent_path();
    MergeChoice choice;
    choice.method = GENERATE(as<std::string>(), "woven", "pyramid", "blend");
    const Project project = with_kept(with_merge(kept.saved.project, choice), KeptArea::everything);
    const Series series = series_of(project, facts_of(kept.series));
    const MadeFrom from = merge_inputs(project, project.frames[2].id);
    SeriesGeometry geometry = align_series(series, from.align, nullptr, nullptr, {}).geometry;
    geometry.dust = {{{40.5, 30.25}, 5, 0.5, 0.1}};
    const MergeResult result = merge_series(series, geometry, from, 0, {}, {});
    const ProjectResult own{{3}, "Woven 3", from, 1.5, false, {}, {}};
    CHECK_FALSE(has_result(folder, {3}));
    CHECK(write_result(folder, {3}, result, geometry, from, series.frames[2].info.shooting, {}).empty());
    CHECK(has_result(folder, {3}));

    const StoredResult stored = read_result(folder, own, {});
    CHECK(same(stored.result.picture.pixels, result.picture.pixels));
    CHECK(same(stored.result.picture.alpha, result.picture.alpha));
    CHECK(stored.result.picture.profile.icc == result.picture.profile.icc);
    CHECK(same(stored.result.source, result.source));
    CHECK(same(stored.result.made_by, result.made_by));
    CHECK(same(stored.result.depth, result.depth));
    CHECK(same(stored.result.trust, result.trust));
    CHECK(stored.result.area == result.area);
    CHECK(stored.result.settings == result.settings);
    CHECK(stored.result.method == choice.method);
    CHECK(stored.geometry == geometry);
    CHECK(stored.geometry.frames[1].residual_px == geometry.frames[1].residual_px);

    // Another result stays when the ones that are wanted no longer go; one whose shooting data are damaged is
    // kept without them, and it is said.
    ShootingData damaged;
    damaged.exif = std::vector<std::uint8_t>(64, 0xff);
    CHECK_THAT(write_result(folder, {4}, result, geometry, from, damaged, {}),
               Catch::Contains("without shooting data"));
    CHECK(same(read_result(folder, {{4}, "Woven 4", from, 1.5, false, {}, {}}, {}).result.picture.pixels,
               result.picture.pixels));
    CHECK(keep_only_results(folder, {{4}}) == 1);
    CHECK_FALSE(has_result(folder, {3}));
    CHECK(has_result(folder, {4}));
}

TEST_CASE("a stored result that is damaged is named, with the remedy", "[project][folder]") {
    const Kept kept;
    const fs::path folder = kept.file.parent_path();
    const Series series = series_of(kept.saved.project, facts_of(kept.series));
    const MadeFrom from = merge_inputs(kept.saved.project, kept.saved.project.frames[2].id);
    const SeriesGeometry geometry = unmoved(series, 2);
    const MergeResult result = merge_series(series, geometry, from, 0, {}, {});
    const ProjectResult own{{1}, "Woven 1", from, 1, false, {}, {}};
    REQUIRE(write_result(folder, {1}, result, geometry, from, {}, {}).empty());
    auto why = [&] {
        try {
            read_result(folder, own, {});
        } catch (const FileError& error) {
            return std::string(error.what());
        }
        return std::string();
    };
    REQUIRE(why().empty());
    SECTION("a plane is cut off") {
        fs::resize_file(folder / "results" / "1-depth.tif", 300);
        CHECK_THAT(why(), Catch::Contains("1-depth.tif"));
    }
    SECTION("the picture is gone") {
        fs::remove(folder / "results" / "1.tif");
        CHECK_THAT(why(), Catch::Contains("1.tif"));
    }
    SECTION("it says nothing") {
        write(folder / "results" / "1.json", "{}");
        CHECK_THAT(why(), Catch::Contains("1.json") && Catch::Contains("Merge it again"));
    }
    SECTION("it belongs to other frames") {
        ProjectResult other = own;
        other.made_from.align.look.frames.pop_back();
        CHECK_THROWS_WITH(read_result(folder, other, {}), Catch::Contains("other frames"));
    }
}
