// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/sets/run_set.h"

#include <catch2/catch.hpp>
#include <fstream>
#include <nlohmann/json.hpp>
#include <random>
#include <thread>

#include "core/files/exif_block.h"
#include "core/merge/merge.h"
#include "core/project/edits.h"
#include "core/project/project_folder.h"
#include "core/project/result_files.h"
#include "core/sets/arriving_series.h"
#include "core/sets/cluster_job.h"
#include "core/sets/outcome.h"
#include "core/sets/set_paths.h"
#include "tests/support/card_files.h"
#include "tests/support/measures.h"
#include "tests/support/textured.h"

using namespace moorhaze;
namespace fs = std::filesystem;

namespace {

Recipe quick_recipe() {
    return recipe_from_json(R"({"moorhaze_recipe": 1, "area": "reference",
        "alignment": {"as_they_lie": true}, "merge": [{"method": "depth"}],
        "hand_over": {"outputs": [{"format": "png", "bits": 8, "name": "{number}-{series}"}]},
        "doubts": {"gap_steps": 1000}})");
}

SetPlan plan_of(const test::Scratch& scratch, const Recipe& recipe = quick_recipe(),
                const std::string& out = "out") {
    return plan_set(recipe, {scratch / "card"}, parse_out((scratch / out).string()), {});
}

std::vector<SeriesState> states(const std::vector<SeriesRecord>& records) {
    std::vector<SeriesState> list;
    for (const SeriesRecord& own : records) list.push_back(own.state);
    return list;
}

/// The pictures alone: records hold times.
std::map<std::string, std::string> pictures_in(const fs::path& folder) {
    auto contents = test::contents_of(folder);
    std::erase_if(contents, [](const auto& file) { return file.first.starts_with("moorhaze-set"); });
    return contents;
}

constexpr auto kDone = SeriesState::done;

}  // namespace

TEST_CASE("a place for pictures is a folder, names, or both", "[sets]") {
    CHECK(parse_out("finished") == OutPattern{"finished", "", ""});
    CHECK(parse_out("finished/") == OutPattern{"finished/", "", ""});
    CHECK(parse_out("shop/{article}-{number}") == OutPattern{"shop", "", "{article}-{number}"});
    CHECK(parse_out("{series}") == OutPattern{".", "", "{series}"});
    CHECK(parse_out("shop/{series}/") == OutPattern{"shop", "{series}", ""});
    CHECK(parse_out("shop/{date}/{series}/{method}") == OutPattern{"shop", "{date}/{series}", "{method}"});
    CHECK_THROWS_AS(parse_out(""), BadParameter);
    CHECK_THROWS_WITH(parse_out("shop/{colour}"), Catch::Contains("{colour}"));
}

TEST_CASE("names that fall on one another are refused before anything is done", "[sets]") {
    const test::Scratch scratch;
    test::write_card(scratch / "card", {"lichen", "Bog"}, {60, 40}, 2);
    CHECK_THROWS_WITH(plan_of(scratch, quick_recipe(), "out/{date}x"),
                      Catch::Contains("Bog and lichen") && Catch::Contains("{series}"));
    Recipe two = quick_recipe();
    two.merges->push_back({});
    CHECK_THROWS_WITH(plan_of(scratch, two), Catch::Contains("{method}"));
    CHECK(plan_of(scratch, two, "out/{series}/{method}").series.size() == 2);
    Recipe none = quick_recipe();
    none.hand_over->outputs[0].is_off = true;
    CHECK_THROWS_WITH(plan_of(scratch, none), Catch::Contains("no file"));
    fs::create_directories(scratch / "empty");
    CHECK_THROWS_AS(plan_set(quick_recipe(), {scratch / "empty"}, {}, {}), FileError);
    CHECK_FALSE(fs::exists(scratch / "out"));
}

TEST_CASE("articles come from one table for all series, and views are numbered whatever their pattern",
          "[sets]") {
    const test::Scratch scratch;
    test::write_card(scratch / "card", {"moss", "lichen"}, {60, 40}, 2);
    Recipe recipe = quick_recipe();
    recipe.hand_over->outputs[0].name = "{article}";
    recipe.hand_over->article_list = scratch / "articles.csv";
    test::write_all(scratch / "articles.csv", "moss,A-17\nlichen,A-18\n");
    const SetPlan plan = plan_of(scratch, recipe);
    const auto name_of_first = [](const SetPlan& own, std::size_t place) {
        return files_of(own, own.series[place], {}, {60, 40})[0].path.filename().string();
    };
    CHECK(name_of_first(plan, 0) == "A-18.png");
    CHECK(name_of_first(plan, 1) == "A-17.png");
    test::write_all(scratch / "articles.csv", "moss,A-17\nlichen,A-17\n");
    CHECK_THROWS_WITH(check_names(plan), Catch::Contains("A-17.png would be written for both"));
    test::write_all(scratch / "articles.csv", "");
    CHECK_THROWS_WITH(check_names(plan), Catch::Contains("names no series"));

    // All views are of one article: their numbers part them.
    test::write_all(scratch / "articles.csv", "card,K-4\n");
    SetPlan views = plan;
    views.recipe.turntable = TurntableRule{};
    check_names(views);
    CHECK(files_of_view(views, views.series[1], {}, {60, 40})[0].path.filename() == "K-4-02.png");
    views.out.name = "{series}.png";
    CHECK(files_of_view(views, views.series[0], {}, {60, 40})[0].path.filename() == "card-01.png");
}

TEST_CASE("a queue is asked for the memory of the largest series, and for less where the run has less",
          "[sets]") {
    const test::Scratch scratch;
    test::write_card(scratch / "card", {"a", "b"});
    SetPlan plan = plan_of(scratch);
    PictureInfo& large = plan.series[1].frames.front().info;
    large.width = 6000;
    large.height = 4000;
    large.bits = 16;
    MergeRule rule;
    rule.choice.method = "depth";
    plan.recipe.merges = std::vector{rule};
    const double pixels = 24e6, decoded = 2 * pixels * 3 * 2,
                 merging = merge_method("depth").bytes_per_px * pixels;
    const auto asked = [](double bytes) { return int(std::ceil(1.2 * bytes / (1024 * 1024))); };
    CHECK(cluster_task(plan, {}).memory_mb == asked(150e6 + decoded + std::max(merging, 60 * pixels)));
    // 60 bytes a pixel for finishing are needed whatever a merge is held to.
    RunSettings tight;
    tight.memory_bytes = std::size_t(600) << 20;
    CHECK(cluster_task(plan, tight).memory_mb == asked(150e6 + decoded + 60 * pixels));
    plan.series.erase(plan.series.begin() + 1);
    CHECK(cluster_task(plan, {}).memory_mb < 400);
    CHECK(cluster_task(plan, {}).minutes >= 5);
}

TEST_CASE("a set is done once, and only what changed is done again", "[sets]") {
    const test::Scratch scratch;
    test::write_card(scratch / "card", {"a", "b", "c"});
    const SetPlan plan = plan_of(scratch);
    std::vector<std::string> steps;
    double fraction = 0;
    SetEvents events;
    events.on_progress = [&](const SetProgress& progress) {
        CHECK(progress.fraction >= fraction);
        fraction = progress.fraction;
        CHECK(progress.seconds_left >= 0);
    };
    events.on_series = [&](int, const SeriesRecord& own) { steps.push_back(own.name); };
    const auto first = run_set(plan, {}, events, {});
    CHECK(states(first) == std::vector{kDone, kDone, kDone});
    CHECK(steps == std::vector<std::string>{"a", "b", "c"});
    CHECK(fraction == Approx(1).margin(0.02));
    const auto made = pictures_in(scratch / "out");
    CHECK(made.size() == 3);
    CHECK(made.contains("02-b.png"));
    CHECK(first[1].merged == 4);
    CHECK((first[1].width == 180 && first[1].height == 120));
    CHECK(test::psnr_db(test::luma_of(read_picture(scratch / "out" / "01-a.png")),
                        test::luma_of(test::strip_truth({180, 120}))) > 26);

    // Again: nothing is touched, whatever the dates of the frames say.
    const auto written = fs::last_write_time(scratch / "out" / "01-a.png");
    fs::last_write_time(scratch / "card" / "a" / "frame-01.tif", fs::file_time_type::clock::now());
    CHECK(run_set(plan, {}, {}, {}) == first);
    CHECK(fs::last_write_time(scratch / "out" / "01-a.png") == written);

    // A frame that holds something else, and a picture that is gone: those series are done again.
    fs::copy_file(scratch / "card" / "a" / "frame-02.tif", scratch / "card" / "b" / "frame-02.tif",
                  fs::copy_options::overwrite_existing);
    fs::remove(scratch / "out" / "03-c.png");
    RunSettings replacing;
    replacing.overwrite = true;
    CHECK(states(run_set(plan_of(scratch), replacing, {}, {})) == std::vector{kDone, kDone, kDone});
    CHECK(fs::last_write_time(scratch / "out" / "01-a.png") == written);
    const auto again = pictures_in(scratch / "out");
    CHECK(again.at("02-b.png") != made.at("02-b.png"));
    CHECK(again.at("03-c.png") == made.at("03-c.png"));
}

TEST_CASE("a picture that the recipe did not make is not replaced without a word", "[sets]") {
    const test::Scratch scratch;
    test::write_card(scratch / "card", {"a"}, {60, 40}, 2);
    fs::create_directories(scratch / "out");
    test::write_all(scratch / "out" / "01-a.png", "a person's");
    const SetPlan plan = plan_of(scratch);
    const SeriesRecord before = state_of(plan, plan.series[0], frame_keys(plan.series[0], {}), false);
    REQUIRE(before.reasons.size() == 1);
    CHECK_THAT(before.reasons[0], Catch::Contains("01-a.png"));
    const auto refused = run_set(plan, {}, {}, {});
    CHECK(refused[0].state == SeriesState::failed);
    CHECK_THAT(refused[0].reasons[0], Catch::Contains("01-a.png") && Catch::Contains("--overwrite"));
    CHECK(test::read_all(scratch / "out" / "01-a.png") == "a person's");
    // Nor the second time it is tried.
    CHECK(run_set(plan, {}, {}, {})[0].state == SeriesState::failed);
    CHECK(test::read_all(scratch / "out" / "01-a.png") == "a person's");
    CHECK(states(run_set(plan, {true, 0}, {}, {})) == std::vector{kDone});
    CHECK(read_picture(scratch / "out" / "01-a.png").width() == 60);
}

TEST_CASE("a series that fails is told, and the others are done", "[sets]") {
    const test::Scratch scratch;
    test::write_card(scratch / "card", {"a", "b", "c"}, {120, 80}, 4);
    const SetPlan plan = plan_of(scratch);
    // After the plan was made the frames of b are cut off.
    for (const char* name : {"frame-01.tif", "frame-02.tif", "frame-03.tif", "frame-04.tif"})
        fs::resize_file(scratch / "card" / "b" / name, 300);
    const auto records = run_set(plan, {}, {}, {});
    CHECK(states(records) == std::vector{kDone, SeriesState::failed, kDone});
    REQUIRE_FALSE(records[1].reasons.empty());
    CHECK_THAT(records[1].reasons[0], Catch::Contains("frame-0"));
    CHECK(pictures_in(scratch / "out").size() == 2);
}

TEST_CASE("frames of two cameras are two series, and one to be looked at where they are forced into it",
          "[sets]") {
    const test::Scratch scratch;
    fs::create_directories(scratch / "card");
    std::vector<fs::path> files;
    const std::vector<Picture> pictures = test::strip_series({120, 90}, 8);
    for (int i = 0; i < 8; ++i) {
        ShootingData data;
        data.camera = data.camera_model = i < 4 ? "Heath one" : "Heath two";
        data.camera_maker = "Moorhaze";
        files.push_back(scratch / "card" / ("heath-" + std::to_string(i + 1) + ".tif"));
        WriteSettings write;
        write.bits = 8;
        data.exif = exif_block(data, 120);
        write_picture(files.back(), pictures[std::size_t(i)], data, write, {});
    }
    const SetPlan plan = plan_of(scratch);
    REQUIRE(plan.series.size() == 2);
    CHECK(plan.series[0].frames.size() == 4);
    CHECK_THAT(plan.series[1].reason, Catch::Contains("another camera"));
    const SetPlan forced =
        plan_one_series(quick_recipe(), files, "heath", 1, parse_out((scratch / "forced").string()), {});
    const SeriesRecord record = run_series(forced, forced.series[0], {}, {}, {});
    INFO(json_of(record));
    CHECK(record.state == SeriesState::doubtful);
    const auto says_cameras = [](const std::string& sentence) {
        return sentence.find("Heath one") != std::string::npos;
    };
    CHECK(std::any_of(record.reasons.begin(), record.reasons.end(), says_cameras));
    // Said once.
    CHECK(std::none_of(record.warnings.begin(), record.warnings.end(), says_cameras));
}

TEST_CASE("a doubtful series is kept as a project with everything done so far", "[sets]") {
    const test::Scratch scratch;
    test::write_card(scratch / "card", {"a", "b"}, {180, 120}, 6);
    // One frame of b without flash.
    Picture dark;
    dark.pixels = cv::Mat(120, 180, CV_8UC3, cv::Scalar(2, 2, 2));
    WriteSettings write;
    write.bits = 8;
    write.overwrite = true;
    write_picture(scratch / "card" / "b" / "frame-03.tif", dark, {}, write, {});
    Recipe recipe = quick_recipe();
    recipe.finish = Finish{};
    recipe.finish->light.exposure_ev = 0.25;
    const auto records = run_set(plan_of(scratch, recipe), {}, {}, {});
    CHECK(records[0].state == kDone);
    CHECK(records[0].project.empty());
    const SeriesRecord& doubtful = records[1];
    CHECK(doubtful.state == SeriesState::doubtful);
    REQUIRE_FALSE(doubtful.reasons.empty());
    CHECK_THAT(doubtful.reasons[0], Catch::Contains("1 frame was left out"));
    CHECK(doubtful.merged == 5);
    CHECK(fs::exists(scratch / "out" / "02-b.png"));

    const fs::path file = scratch / "out" / doubtful.project;
    const OpenedProject opened = open_project(file, {});
    const Project& project = opened.saved.project;
    CHECK(opened.missing.empty());
    CHECK(project.name == "b");
    CHECK_FALSE(project.frames[2].used);
    CHECK(project.finish.finish.light.exposure_ev == 0.25);
    REQUIRE(project.results.size() == 1);
    const StoredResult stored = read_result(file.parent_path(), project.results[0], {});
    CHECK(stored.result.picture.width() > 100);

    // What a person made of it is not touched when the series is done anew with another recipe.
    SavedProject theirs = opened.saved;
    theirs.project = with_title(theirs.project, project.results[0].id, "theirs");
    save_project(file, theirs);
    recipe.finish->light.exposure_ev = 0;
    const auto again = run_set(plan_of(scratch, recipe), {true, 0}, {}, {});
    CHECK(again[1].project != doubtful.project);
    CHECK(open_project(file, {}).saved.project.results[0].title == "theirs");
}

TEST_CASE("work that is stopped anywhere leaves nothing half written and ends in the same files",
          "[sets][interrupted]") {
    const test::Scratch scratch;
    test::write_card(scratch / "card", {"a", "b"}, {120, 80}, 4);
    Recipe recipe = quick_recipe();
    recipe.hand_over->outputs.push_back({});
    recipe.doubts->left_out = 0;
    run_set(plan_of(scratch, recipe, "whole"), {}, {}, {});
    const auto whole = pictures_in(scratch / "whole");
    CHECK(whole.size() == 4);

    std::mt19937 random(5);
    int stopped = 0;
    for (int i = 0; i < 10; ++i) {
        std::stop_source stop;
        const double at = std::uniform_real_distribution(0.02, 1.0)(random);
        SetEvents events;
        events.on_progress = [&](const SetProgress& progress) {
            if (progress.fraction >= at) stop.request_stop();
        };
        try {
            run_set(plan_of(scratch, recipe), {}, events, {stop.get_token(), {}});
        } catch (const Cancelled&) {
            ++stopped;
        }
        for (const auto& [name, bytes] : pictures_in(scratch / "out")) {
            INFO(name);
            CHECK(bytes == whole.at(name));
        }
    }
    CHECK(stopped > 0);
    CHECK(states(run_set(plan_of(scratch, recipe), {}, {}, {})) == std::vector{kDone, kDone});
    CHECK(pictures_in(scratch / "out") == whole);
}

TEST_CASE("a series that was shot from far to near is the same to a single command and to the whole run",
          "[sets]") {
    const test::Scratch scratch;
    fs::create_directories(scratch / "card" / "far first");
    std::vector<fs::path> files;
    for (int i = 1; i <= 4; ++i) {
        ShootingData data;
        data.focus_distance_m = 0.4 - 0.02 * i;
        data.exif = exif_block(data, 90);
        files.push_back(scratch / "card" / "far first" / ("f-" + std::to_string(i) + ".jpg"));
        WriteSettings write;
        write.format = FileFormat::jpeg;
        write.bits = 8;
        write_picture(files.back(), test::colourful({90, 60}, 8, false), data, write, {});
    }
    REQUIRE(make_series(open_card({scratch / "card"}, {}).series[0].frames).series.turned_round);
    const OutPattern out = parse_out((scratch / "out").string());
    const SetPlan whole = plan_set(quick_recipe(), {scratch / "card"}, out, {});
    const SetPlan single = plan_one_series(quick_recipe(), files, "far first", 1, out, {});
    const auto inputs = [](const SetPlan& plan) {
        return inputs_of(plan, plan.series[0], frame_keys(plan.series[0], {}));
    };
    CHECK(inputs(whole) == inputs(single));
}

TEST_CASE("two workers never meet in one series", "[sets]") {
    const test::Scratch scratch;
    test::write_card(scratch / "card", {"a"}, {60, 40}, 2);
    const SetPlan plan = plan_of(scratch);
    {
        const SeriesClaim other(set_folder(plan.out), "a");
        CHECK(other.is_mine());
        const SeriesRecord record = run_series(plan, plan.series[0], {}, {}, {});
        CHECK(record.state == SeriesState::failed);
        CHECK_THAT(record.reasons[0], Catch::Contains("another run"));
        // It is the other's to record.
        CHECK_FALSE(read_record(set_folder(plan.out), "a"));
    }
    CHECK(run_series(plan, plan.series[0], {}, {}, {}).state == kDone);
}

TEST_CASE("the table tells every series, with pictures and links that stay in the folder", "[sets]") {
    const test::Scratch scratch;
    test::write_card(scratch / "card", {"moss & <fern>", "b"}, {60, 40}, 2);
    SetPlan plan = plan_of(scratch);
    run_set(plan, {}, {}, {});
    SetSeries third = plan.series[0];
    third.name = "not yet";
    third.number = 3;
    plan.series.push_back(third);
    write_set_list(plan);
    const fs::path folder = set_folder(plan.out);
    write_outcome(folder);
    const std::string page = test::read_all(folder / "outcome.html");
    CHECK_THAT(page, Catch::Contains("moss &amp; &lt;fern&gt;") && !Catch::Contains("<fern>"));
    CHECK_THAT(page, Catch::Contains("2 of 3 series done") && Catch::Contains("waiting"));
    CHECK_THAT(page, !Catch::Contains("http"));
    const auto json = nlohmann::json::parse(test::read_all(folder / "outcome.json"));
    REQUIRE(json["series"].size() == 3);
    for (const auto& own : json["series"])
        for (const auto& file : own["files"])
            CHECK(fs::exists(fs::path(json["folder"].get<std::string>()) / file["file"].get<std::string>()));
    CHECK(json["series"][2]["state"] == "waiting");
    CHECK_THAT(test::read_all(folder / "outcome.txt"), Catch::Contains("not yet") && Catch::Contains("done"));
    const Picture small = read_picture(SetPaths(folder).small_picture("b"));
    CHECK((small.width() == 60 && small.height() == 40));
    CHECK_THROWS_AS(read_records(scratch / "card"), FileError);
}

TEST_CASE("series that arrive are worked on as each becomes whole", "[sets]") {
    const test::Scratch scratch;
    test::write_card(scratch / "card", {"a", "b"}, {60, 40}, 5);
    fs::create_directories(scratch / "in");
    using Clock = ArrivingSeries::Moment;
    const Clock begin{};
    const auto at = [&](double seconds) { return begin + std::chrono::milliseconds(int(1000 * seconds)); };
    ArrivingSeries arriving(scratch / "in", 30);
    double now = 100;
    CHECK(arriving.look(at(now), {}).empty());
    const auto arrive = [&](const char* name) {
        std::vector<SetSeries> complete;
        fs::create_directories(scratch / "in" / name);
        for (const auto& entry : fs::directory_iterator(scratch / "card" / name)) {
            fs::copy_file(entry.path(), scratch / "in" / name / entry.path().filename());
            for (int look = 0; look < 2; ++look)
                for (SetSeries& own : arriving.look(at(now += 1), {})) complete.push_back(std::move(own));
        }
        return complete;
    };
    CHECK(arrive("a").empty());
    // The first frames of another series: the one before is whole.
    const auto first = arrive("b");
    REQUIRE(first.size() == 1);
    CHECK((first[0].name == "a 1" && first[0].number == 1 && first[0].frames.size() == 5));
    CHECK(arriving.waiting() == 5);
    CHECK(arriving.look(at(now + 20), {}).empty());
    const auto second = arriving.look(at(now + 31), {});
    REQUIRE(second.size() == 1);
    CHECK((second[0].name == "b 1" && second[0].number == 2 && second[0].frames.size() == 5));
    CHECK(arriving.waiting() == 0);
    CHECK(arriving.look(at(now + 90), {}).empty());
    fs::remove_all(scratch / "in");
    CHECK_THROWS_AS(arriving.look(at(now + 91), {}), FileError);
}
