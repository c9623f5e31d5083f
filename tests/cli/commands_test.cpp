// SPDX-License-Identifier: GPL-3.0-or-later
// The command line as users' scripts see it: the program itself is run.
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "core/files/float_tiff.h"
#include "core/files/picture_file.h"
#include "core/finish/finished.h"
#include "core/mend/mended.h"
#include "core/project/align_series.h"
#include "core/project/edits.h"
#include "core/project/merge_series.h"
#include "core/project/project_folder.h"
#include "core/project/result_files.h"
#include "tests/support/measures.h"
#include "tests/support/series_files.h"
#include "tests/support/textured.h"

using namespace moorhaze;
using nlohmann::json;

namespace {

test::Ran cli(const std::string& arguments) {
    return test::run(std::string(MOORHAZE_CLI) + " " + arguments);
}

std::string frames_in(const test::Scratch& scratch, int count, cv::Size size = {300, 160}) {
    test::write_series(scratch, test::strip_series(size, count));
    return scratch.folder().string();
}

}  // namespace

TEST_CASE("wrong use ends with 2 and says what is wrong", "[cli]") {
    CHECK(cli("").code == 2);
    CHECK(cli("conjure").code == 2);
    CHECK(cli("merge --quiet").code == 2);
    const test::Scratch scratch;
    const std::string frames = frames_in(scratch, 2);
    const auto method = cli("merge " + frames + " -o " + (scratch / "out.tif").string() + " --method magic");
    CHECK(method.code == 2);
    CHECK_THAT(method.text, Catch::Contains("magic") && Catch::Contains("pyramid"));
    CHECK(cli("merge " + frames + " -o " + (scratch / "out.xyz").string()).code == 2);
    CHECK(cli("merge " + frames + " -o " + (scratch / "out.tif").string() + " --range 5-9").code == 2);
    CHECK(cli("align " + frames + " --reference 9").code == 2);
    CHECK(cli("simulate").code == 2);
    CHECK(cli("simulate brass-wheels --out " + (scratch / "s").string() + " --size big").code == 2);
}

TEST_CASE("work that fails ends with 1 and one line that names the file", "[cli]") {
    const test::Scratch scratch;
    const auto missing = cli("inspect " + (scratch / "nowhere.jpg").string() + " --quiet");
    CHECK(missing.code == 1);
    CHECK_THAT(missing.text, Catch::Contains("nowhere.jpg"));
    CHECK(
        cli("merge " + scratch.folder().string() + " -o " + (scratch / "o.tif").string() + " --quiet").code ==
        1);
}

TEST_CASE("merge keeps within --memory by strips, and says what it needs at least", "[cli][memory]") {
    const test::Scratch scratch;
    const std::string frames = frames_in(scratch, 4, {400, 900});
    auto merge = [&](const std::string& name, const std::string& more) {
        return cli("merge " + frames + " --no-crop --quiet -o " + (scratch / (name + ".tif")).string() +
                   " --report " + (scratch / (name + ".json")).string() + more);
    };
    REQUIRE(merge("whole", "").code == 0);
    CHECK(json::parse(test::read_all(scratch / "whole.json"))["strips"] == 1);
    const auto little = merge("little", " --memory 20");
    CHECK(little.code == 2);
    CHECK_THAT(little.text, Catch::Contains("MB"));
    CHECK_FALSE(std::filesystem::exists(scratch / "little.tif"));
    // What it says it needs will do.
    const std::size_t at = little.text.find("at least ") + 9;
    const std::string least = little.text.substr(at, little.text.find(' ', at) - at);
    REQUIRE(merge("strips", " --memory " + least).code == 0);
    CHECK(json::parse(test::read_all(scratch / "strips.json"))["strips"] > 1);
    CHECK(test::psnr_db(test::luma_of(read_picture(scratch / "whole.tif")),
                        test::luma_of(read_picture(scratch / "strips.tif"))) > 50);
}

TEST_CASE("help and version are no failure", "[cli]") {
    CHECK(cli("--help").code == 0);
    CHECK(cli("merge --help").code == 0);
    CHECK_THAT(cli("--version").text, Catch::Contains("moorhaze-cli"));
}

TEST_CASE("merge writes picture, depth, provenance and a whole report", "[cli]") {
    const test::Scratch scratch;
    const std::string frames = frames_in(scratch, 5);
    const test::Scratch out;
    const std::string file = (out / "out.tif").string();
    const auto ran =
        cli("merge " + frames + " -o " + file +
            " --method depth --reference 3 --no-crop --quiet --depth-out " + (out / "d.tif").string() +
            " --source-out " + (out / "s.tif").string() + " --report " + (out / "r.json").string());
    INFO(ran.text);
    REQUIRE(ran.code == 0);
    CHECK(ran.text.empty());
    const Picture picture = read_picture(file);
    CHECK((picture.width() == 300 && picture.height() == 160 && picture.bits() == 16));
    CHECK(test::psnr_db(test::luma_of(picture), test::luma_of(test::strip_truth({300, 160}))) > 28);
    const cv::Mat depth = read_plane(out / "d.tif"), source = read_plane(out / "s.tif");
    CHECK((depth.type() == CV_32FC1 && source.type() == CV_16UC1));
    CHECK((depth.size() == source.size() && depth.size() == cv::Size(300, 160)));
    const json report = json::parse(test::read_all(out / "r.json"));
    CHECK(report["reference"] == 3);
    CHECK(report["method"] == "depth");
    double shares = 0;
    for (const auto& [what, share] : report["made_by"].items()) shares += double(share);
    CHECK(shares == Approx(1));
    CHECK(report["made_by"].contains("depth map"));
    CHECK(report["frames"].size() == 5);
    for (const json& frame : report["frames"]) {
        CHECK(frame["used"] == true);
        CHECK(frame["matrix"].size() == 3);
        CHECK(frame["gain"].get<double>() == Approx(1).margin(0.02));
        CHECK(frame["flags"].is_array());
    }
    CHECK(report["crop"] == json{{"x", 0}, {"y", 0}, {"width", 300}, {"height", 160}});
    for (const char* step : {"profile", "align", "merge", "write"})
        CHECK(report["seconds"][step].get<double>() >= 0);
    CHECK(report["peak_memory_mb"].get<double>() > 1);
    CHECK(report["warnings"].is_array());
    CHECK(report["settings"].contains("detail_size_px"));

    const auto again = cli("merge " + frames + " -o " + file + " --quiet");
    CHECK(again.code == 1);
    CHECK_THAT(again.text, Catch::Contains("exists already"));
}

TEST_CASE("dust is mended by every method and told in the report, unless it shall be left", "[cli]") {
    const test::Scratch dusty, clean, out;
    const cv::Size size(300, 200);
    test::write_series(dusty, test::dusty_series(size, 9, {{{90, 70}, 6, 0.5, 0.2}}));
    test::write_series(clean, test::dusty_series(size, 9, {}));
    const auto merged = [&](const test::Scratch& frames, const std::string& method, const std::string& more) {
        const std::string file = (out / "m.tif").string();
        const auto ran =
            cli("merge " + frames.folder().string() + " -o " + file + " --overwrite --quiet --method " +
                method + " --reference 5 --no-crop --report " + (out / "r.json").string() + more);
        INFO(ran.text);
        REQUIRE(ran.code == 0);
        return read_picture(file).pixels;
    };
    for (const std::string method : {"woven", "depth", "pyramid", "blend"}) {
        INFO(method);
        const cv::Mat truth = merged(clean, method, ""), left = merged(dusty, method, " --dust off");
        CHECK(json::parse(test::read_all(out / "r.json"))["dust"].empty());
        const cv::Mat mended = merged(dusty, method, " --dust auto");
        const json dust = json::parse(test::read_all(out / "r.json"))["dust"];
        REQUIRE(dust.size() == 1);
        CHECK(dust[0]["x"].get<double>() == Approx(90).margin(1));
        CHECK(dust[0]["depth"].get<double>() == Approx(0.2).margin(0.05));
        const cv::Rect around(70, 50, 40, 40);
        CHECK(cv::norm(mended(around), truth(around), cv::NORM_L2) <
              0.5 * cv::norm(left(around), truth(around), cv::NORM_L2));
    }
    const auto aligned = cli("align " + dusty.folder().string());
    CHECK_THAT(aligned.text, Catch::Contains("dust at 90, 70 px"));
    CHECK(cli("merge " + dusty.folder().string() + " -o " + (out / "m.tif").string() + " --dust some").code ==
          2);
}

TEST_CASE("how much is kept is chosen by name", "[cli]") {
    const test::Scratch scratch, out;
    const std::string frames = frames_in(scratch, 3);
    const std::string file = (out / "o.png").string();
    CHECK(cli("merge " + frames + " -o " + file + " --area everything --quiet").code == 0);
    CHECK(read_picture(file).width() >= 300);
    CHECK(cli("merge " + frames + " -o " + file + " --overwrite --area reference --quiet").code == 0);
    CHECK(read_picture(file).pixels.size() == cv::Size(300, 160));
    const auto wrong = cli("merge " + frames + " -o " + file + " --overwrite --area all --quiet");
    CHECK(wrong.code == 2);
    CHECK_THAT(wrong.text, Catch::Contains("common, reference, everything"));
    CHECK(cli("merge " + frames + " -o " + file + " --overwrite --area common --no-crop --quiet").code == 2);
}

TEST_CASE("a range merges only its frames", "[cli]") {
    const test::Scratch scratch, out;
    const std::string frames = frames_in(scratch, 5);
    REQUIRE(cli("merge " + frames + " -o " + (out / "o.png").string() +
                " --range 2-4 --no-align --quiet --report " + (out / "r.json").string() + " --source-out " +
                (out / "s.tif").string())
                .code == 0);
    const json report = json::parse(test::read_all(out / "r.json"));
    CHECK(report["frames"][0]["used"] == false);
    CHECK(report["frames"][1]["used"] == true);
    double low = 0, high = 0;
    cv::minMaxLoc(read_plane(out / "s.tif"), &low, &high);
    CHECK((low == 2 && high == 4));
}

TEST_CASE("a broken frame among good ones is reported and the merge is made", "[cli]") {
    const test::Scratch scratch, out;
    const std::string frames = frames_in(scratch, 4);
    test::write_all(scratch / "frame-03.tif", "II*");
    const auto ran =
        cli("merge " + frames + " -o " + (out / "o.jpg").string() + " --report " + (out / "r.json").string());
    CHECK(ran.code == 0);
    CHECK_THAT(ran.text, Catch::Contains("frame-03.tif"));
    CHECK(json::parse(test::read_all(out / "r.json"))["frames"].size() == 3);
    CHECK(read_picture(out / "o.jpg").bits() == 8);
}

TEST_CASE("inspect tells sharpness, size and shooting data as JSON", "[cli]") {
    const auto ran = cli("inspect " + std::string(MOORHAZE_DEMO_DIR) + "/lichen-cups/frames --json --quiet");
    REQUIRE(ran.code == 0);
    const json report = json::parse(ran.text);
    CHECK(report["name"] == "lichen-cups");
    REQUIRE(report["frames"].size() == 24);
    CHECK(report["frames"][0]["width"] == 1500);
    CHECK(report["frames"][0]["shooting"]["f_number"].get<double>() == Approx(7.1));
    CHECK(report["frames"][5]["share"].get<double>() > 0);
    CHECK(report["gaps"].is_array());
    CHECK(report["suggested_reference"].get<int>() >= 1);
    CHECK_THAT(cli("inspect " + std::string(MOORHAZE_DEMO_DIR) + "/brass-wheels/frames --quiet").text,
               Catch::Contains("brass-wheels: 24 frames"));
}

TEST_CASE("inspect names the frames that are sharp at the places asked, in their order", "[cli]") {
    const test::Scratch scratch;
    const std::string frames = frames_in(scratch, 5, {400, 160});
    const auto ran =
        cli("inspect " + frames + " --json --quiet --reference 3 --at 40,80 --at 360,80 --at 200,81.5");
    REQUIRE(ran.code == 0);
    const json places = json::parse(ran.text).at("places");
    REQUIRE(places.size() == 3);
    const int sharp[] = {1, 5, 3};
    for (std::size_t i = 0; i < 3; ++i) {
        INFO(places[i].dump());
        REQUIRE(places[i]["frames"].size() >= 1);
        CHECK(places[i]["frames"][0] == sharp[i]);
        CHECK(places[i]["certainty"].size() == places[i]["frames"].size());
        CHECK(places[i]["certainty"][0] > 0.3);
        CHECK(places[i]["certainty"][0] <= 1);
    }
    CHECK(places[2]["y"] == 81.5);
    CHECK_FALSE(json::parse(cli("inspect " + frames + " --json --quiet").text).contains("places"));
    CHECK_THAT(cli("inspect " + frames + " --quiet --at 40,80").text, Catch::Contains("at 40,80: frame 1"));
    for (const char* wrong : {"400,80", "-1,80", "40", "40;80", "40,80,3", "heath"}) {
        INFO(wrong);
        CHECK(cli("inspect " + frames + " --quiet --at " + std::string("'") + wrong + "'").code == 2);
    }
    CHECK(cli("inspect " + frames + " --quiet --at 40,80 --reference 9").code == 2);
}

TEST_CASE("align writes aligned 16-bit frames and a report", "[cli]") {
    const test::Scratch scratch, out;
    const std::string frames = frames_in(scratch, 3);
    REQUIRE(cli("align " + frames + " --reference 2 --out " + (out / "aligned").string() + " --report " +
                (out / "r.json").string() + " --quiet")
                .code == 0);
    CHECK(read_picture(out / "aligned/frame-01-aligned.tif").bits() == 16);
    CHECK(json::parse(test::read_all(out / "r.json"))["residual_px"].get<double>() < 0.2);
}

TEST_CASE("simulate lists scenes and writes what its contract says", "[cli]") {
    CHECK_THAT(cli("simulate --list").text,
               Catch::Contains("brass-wheels") && Catch::Contains("lichen-cups"));
    const test::Scratch out;
    REQUIRE(cli("simulate brass-wheels --out " + out.folder().string() +
                "/s --frames 2 --size 60x40 --seed 3 --fewest-rays 2 --most-rays 4 --tiff --quiet")
                .code == 0);
    for (const char* file : {"s/frames/frame-001.tif", "s/frames/frame-002.tif", "s/truth/sharp.tif",
                             "s/truth/depth.tif", "s/truth/truth.json"})
        CHECK(std::filesystem::exists(out / file));
    CHECK(read_picture(out / "s/frames/frame-001.tif").bits() == 16);
}

TEST_CASE("simulate plants the faults asked for, and inspect finds those it knows", "[cli]") {
    const test::Scratch scratch;
    const std::string out = (scratch / "s").string();
    REQUIRE(cli("simulate brass-wheels --out " + out +
                " --frames 7 --size 300x200 --fewest-rays 3 --most-rays 12 --fault misfire@2 --fault band@6 "
                "--fault duplicate@3 --quiet")
                .code == 0);
    const json truth = json::parse(test::read_all(out + "/truth/truth.json"));
    CHECK(truth["frames"].size() == 8);
    CHECK(truth["faults"] == json::parse(R"([{"kind":"misfire","frame":2},{"kind":"duplicate","frame":4},
                                             {"kind":"band","frame":7}])"));
    const json report = json::parse(cli("inspect " + out + "/frames --json --quiet").text);
    auto has = [&](int frame, const char* kind) {
        for (const json& flag : report["frames"][std::size_t(frame - 1)]["flags"])
            if (flag["kind"] == kind) return true;
        return false;
    };
    CHECK(has(2, "misfire"));
    CHECK(has(7, "band"));
    CHECK_FALSE(has(5, "misfire"));
    CHECK(cli("simulate brass-wheels --out " + out + "2 --fault sneeze@2").code == 2);
    CHECK(cli("simulate brass-wheels --out " + out + "2 --fault bump").code == 2);
}

TEST_CASE("simulate writes a folder for each view, and both truths where a part moves", "[cli]") {
    const test::Scratch scratch;
    const std::string small = " --frames 3 --size 120x80 --fewest-rays 2 --most-rays 4 --quiet";
    REQUIRE(cli("simulate glazed-knob --views 2 --out " + (scratch / "set").string() + small).code == 0);
    const auto one = read_picture(scratch / "set/view-01/truth/sharp.tif").pixels;
    const auto two = read_picture(scratch / "set/view-02/truth/sharp.tif").pixels;
    CHECK(cv::norm(one, two, cv::NORM_L1) / double(one.total()) > 1000);
    REQUIRE(cli("simulate sundew --moves-at 3 --out " + (scratch / "moving").string() + small).code == 0);
    const auto here = read_picture(scratch / "moving/truth/sharp.tif").pixels;
    const auto other = read_picture(scratch / "moving/truth/sharp-other.tif").pixels;
    CHECK(cv::norm(here, other, cv::NORM_L1) / double(here.total()) > 300);
    const json truth = json::parse(test::read_all(scratch / "moving/truth/truth.json"));
    CHECK(truth["faults"] == json::parse(R"([{"kind":"moved","frame":3}])"));
}

TEST_CASE("plan answers in words and as JSON, and a setup goes in and out", "[cli]") {
    const test::Scratch scratch;
    CHECK_THAT(cli("plan").text, Catch::Contains("frames            27") && Catch::Contains("0.802 mm"));
    const std::string file = (scratch / "knob.json").string();
    const auto saved = cli("plan --depth 40 --f-number 5.6 --save " + file + " --json");
    REQUIRE(saved.code == 0);
    const json plan = json::parse(saved.text);
    CHECK(plan["frames"].size() > 70);
    CHECK(plan["frames"][0]["near_mm"].get<double>() == Approx(-1).margin(1e-6));
    CHECK(plan["overlap"].get<double>() >= 0.3);
    // The same again from the saved setup; then with one value changed.
    CHECK(json::parse(cli("plan --setup " + file + " --json").text) == plan);
    CHECK(json::parse(cli("plan --setup " + file + " --f-number 11 --json").text)["frames"].size() <
          plan["frames"].size());
    const auto impossible = cli("plan --f-number 0");
    CHECK(impossible.code == 2);
    CHECK_THAT(impossible.text, Catch::Contains("f/0"));
    CHECK(cli("plan --shutter soon").code == 2);
    CHECK(cli("plan --setup " + (scratch / "none.json").string()).code == 1);
}

TEST_CASE("inspect tells order, depth and mixed settings as JSON", "[cli]") {
    const test::Scratch scratch;
    const std::string frames = frames_in(scratch, 10, {480, 120});
    // Two frames change places with two others: file names tell another order than the pictures.
    const auto name = [&](int number) {
        return scratch / ((number < 10 ? "frame-0" : "frame-") + std::to_string(number) + ".tif");
    };
    for (const auto& [one, other] : {std::pair{2, 8}, {4, 9}}) {
        std::filesystem::rename(name(one), scratch / "held.tif");
        std::filesystem::rename(name(other), name(one));
        std::filesystem::rename(scratch / "held.tif", name(other));
    }
    const auto ran = cli("inspect " + frames + " --json --quiet --cache " + (scratch / "cache").string());
    REQUIRE(ran.code == 0);
    const json report = json::parse(ran.text);
    CHECK(report["order"] == "mixed");
    CHECK_FALSE(report["order_reason"].get<std::string>().empty());
    auto suggested = report["suggested_order"].get<std::vector<int>>();
    if (suggested.front() > suggested.back()) std::reverse(suggested.begin(), suggested.end());
    CHECK(suggested == std::vector<int>{1, 8, 3, 9, 5, 6, 7, 2, 4, 10});
    CHECK(report["frames"].size() == 10);
    CHECK(report["frames"][0].contains("depth_steps"));
    CHECK(report["mixed"].empty());
    CHECK(report["gaps"].empty());
    CHECK_FALSE(report.contains("series"));
    // From the cache it says the same.
    CHECK(cli("inspect " + frames + " --json --quiet --cache " + (scratch / "cache").string()).text ==
          ran.text);
}

TEST_CASE("a folder of several series: inspect lists them, merge wants one chosen", "[cli]") {
    const test::Scratch scratch;
    int number = 0;
    for (const unsigned subject : {1u, 2u})
        for (int i = 0; i < 5; ++i) {
            const test::Texture texture(subject, 40, 8, 120);
            char name[24];
            std::snprintf(name, sizeof name, "heath_%04d.tif", ++number);
            write_picture(scratch / name,
                          test::picture_from({240, 160}, [&](int x, int y) { return texture.at(x, y); }), {},
                          {}, {});
        }
    const std::string folder = scratch.folder().string();
    const auto inspected = cli("inspect " + folder + " --json --quiet");
    REQUIRE(inspected.code == 0);
    const json report = json::parse(inspected.text);
    REQUIRE(report["series"].size() == 2);
    CHECK(report["series"][0]["count"] == 5);
    CHECK(report["series"][1]["first"] == 6);
    CHECK(report["series"][1]["last"] == 10);
    CHECK(report["series"][1]["reason"] == "another framing");
    CHECK(report["frames"].size() == 10);
    CHECK(report["frames"][7]["series"] == 2);
    CHECK_THAT(cli("inspect " + folder + " --quiet").text, Catch::Contains("2 series"));

    const test::Scratch out;
    const std::string merge = " -o " + (out / "m.tif").string() + " --quiet --keep-flagged --no-align";
    const auto refused = cli("merge " + folder + merge);
    CHECK(refused.code == 1);
    CHECK_THAT(refused.text, Catch::Contains("holds 2 series") && Catch::Contains("--series N"));
    CHECK(cli("merge " + folder + merge + " --series 2").code == 0);
    CHECK(std::filesystem::exists(out / "m.tif"));
    CHECK(cli("merge " + folder + merge + " --overwrite --series 3").code == 2);
}

TEST_CASE("merge takes a project as it was decided, with its strokes, and options go before it",
          "[cli][project]") {
    const test::Scratch scratch;
    const Series series = test::write_series(scratch, test::strip_series({300, 160}, 5));
    Project project = with_series({}, series, {}, std::nullopt);
    project = with_range(with_used(project, project.frames[1].id, false), {0, 3});
    project = with_reference(with_kept(project, KeptArea::reference), project.frames[2].id);
    MergeChoice choice;
    choice.method = "depth";
    choice.settings.seam_width_px = 5;
    project = with_merge(project, choice);
    const MadeFrom from = merge_inputs(project, project.frames[2].id);
    Stroke stroke;
    stroke.source = project.frames[4].id;
    stroke.points = {{60, 60}, {120, 70}};
    project = with_stroke(with_result(project, {{1}, "Depth map 1", from, 1, false, {}, {}}), {1}, stroke);
    const auto file = scratch / "kept" / "heath" / "heath.moorhaze";
    save_project(file, {project, {}, series.size()});

    const auto ended = cli("merge " + file.string() + " -o " + (scratch / "m.tif").string() +
                           " --quiet --report " + (scratch / "r.json").string());
    REQUIRE(ended.code == 0);
    const json report = json::parse(test::read_all(scratch / "r.json"));
    CHECK(report["method"] == "depth");
    CHECK(report["strokes"] == 1);
    CHECK(report["reference"] == 3);
    CHECK(report["frames"][1]["used"] == false);
    CHECK(report["crop"]["width"] == 300);

    const Series chosen = series_of(project, facts_of(series));
    const SeriesGeometry geometry = align_series(chosen, from.align, nullptr, nullptr, {}).geometry;
    const MergeResult merged = merge_series(chosen, geometry, from, 0, {}, {});
    const FrameSource source(chosen, geometry, std::make_shared<FrameShelf>(1 << 28));
    const Picture expected = mended(merged, SharedList<Stroke>{stroke}, {source}, merged.area, {});
    const Picture written = read_picture(scratch / "m.tif");
    CHECK(cv::norm(written.pixels, expected.pixels, cv::NORM_INF) == 0);
    CHECK(cv::norm(written.pixels, merged.picture.pixels, cv::NORM_INF) > 0);

    // An option decides otherwise; a folder stands for the project in it.
    const auto other = cli("merge " + file.parent_path().string() + " -o " + (scratch / "o.tif").string() +
                           " --quiet --method blend --report " + (scratch / "o.json").string());
    REQUIRE(other.code == 0);
    CHECK(json::parse(test::read_all(scratch / "o.json"))["method"] == "blend");
    CHECK(json::parse(test::read_all(scratch / "o.json"))["strokes"] == 0);

    std::filesystem::rename(series.frames[2].path, scratch / "elsewhere.tif");
    const auto missing = cli("merge " + file.string() + " -o " + (scratch / "n.tif").string());
    CHECK(missing.code == 1);
    CHECK_THAT(missing.text, Catch::Contains("not where they were") && Catch::Contains("frame-03.tif"));
    test::write_all(file, "{");
    const auto damaged = cli("merge " + file.string() + " -o " + (scratch / "n.tif").string());
    CHECK(damaged.code == 1);
    CHECK_THAT(damaged.text, Catch::Contains("heath.moorhaze") && Catch::Contains("damaged"));
}

TEST_CASE("finish does to a picture what the core does, and writes the file asked for", "[cli][finish]") {
    const test::Scratch scratch;
    const test::Texture texture(4);
    const Picture picture = test::picture_from({300, 200}, [&](int x, int y) { return texture.at(x, y); });
    write_picture(scratch / "in.tif", picture, {}, {}, {});
    const std::string in = (scratch / "in.tif").string();
    auto out = [&](const char* name) { return (scratch / name).string(); };
    // Nothing asked for: nothing changed.
    REQUIRE(cli("finish " + in + " -o " + out("same.tif") + " --quiet").code == 0);
    CHECK(cv::norm(read_picture(scratch / "same.tif").pixels, picture.pixels, cv::NORM_INF) == 0);
    const std::string asked =
        " --brighten 0.5 --black-point 2 --white-point 95 --curve 30:25,70:78 --saturation 20 --clarity 30 "
        "--sharpen 60 --vignette -0.5 --crop 200x120+40+30";
    REQUIRE(cli("finish " + in + " -o " + out("a.tif") + asked + " --quiet --save-look " + out("look.json"))
                .code == 0);
    Finish finish;
    finish.framing.crop = PixelRect(40, 30, 200, 120);
    finish.light.exposure_ev = 0.5;
    finish.tones = {.black = 0.02, .white = 0.95, .middle = 0.5, .curve = {{0.3, 0.25}, {0.7, 0.78}}};
    finish.colour.saturation = 0.2;
    finish.detail.clarity = 0.3;
    finish.detail.sharpening = 0.6;
    finish.vignette.corners_ev = -0.5;
    const Picture expected = finished(*finish_subject(picture, {}, 1, {}), finish, {});
    CHECK(cv::norm(read_picture(scratch / "a.tif").pixels, expected.pixels, cv::NORM_INF) == 0);
    // The look does the same but for the frame, and what is typed beside it counts more.
    REQUIRE(cli("finish " + in + " -o " + out("b.tif") + " --look " + out("look.json") +
                " --crop 200x120+40+30 --quiet")
                .code == 0);
    CHECK(cv::norm(read_picture(scratch / "b.tif").pixels, expected.pixels, cv::NORM_INF) == 0);
    REQUIRE(cli("finish " + in + " -o " + out("c.jpg") + " --look " + out("look.json") +
                " --size 150 --quality 90 --quiet --title Cups")
                .code == 0);
    CHECK(read_picture(scratch / "c.jpg").pixels.size() == cv::Size(150, 100));
    CHECK(read_about(scratch / "c.jpg").title == "Cups");
    CHECK(cli("finish " + in + " -o " + out("c.jpg") + " --quiet").code == 1);  // it is there
    REQUIRE(cli("finish " + in + " -o " + out("d.jxl") + " --quality 100 --turn 3 --quiet").code == 0);
    CHECK(read_picture(scratch / "d.jxl").width() < 300);
}

TEST_CASE("finish says what is wrong with its options before any work", "[cli][finish]") {
    const test::Scratch scratch;
    const Picture picture = test::picture_from({60, 40}, [](int, int) { return 0.5; });
    write_picture(scratch / "in.tif", picture, {}, {}, {});
    auto refused = [&](const std::string& options, const char* out = "o.tif") {
        const auto ran = cli("finish " + (scratch / "in.tif").string() + " -o " + (scratch / out).string() +
                             " --quiet " + options);
        CHECK(ran.code != 0);
        CHECK_FALSE(std::filesystem::exists(scratch / out));
        return ran.text;
    };
    CHECK_THAT(refused("--crop 10x10+900+5"), Catch::Contains("outside of the picture"));
    CHECK_THAT(refused("--crop soft"), Catch::Contains("WxH+X+Y"));
    CHECK_THAT(refused("--black-point 60 --white-point 40"), Catch::Contains("black point"));
    CHECK_THAT(refused("--curve 50:60,40:70"), Catch::Contains("curve falls"));
    CHECK_THAT(refused("--warmth 200"), Catch::Contains("warmth"));
    CHECK_THAT(refused("--profile " + (scratch / "none.icc").string()), Catch::Contains("none.icc"));
    CHECK_THAT(refused("--bits 16", "o.jpg"), Catch::Contains("8 bits"));
    CHECK_THAT(refused("--size 50", "o.ora"), Catch::Contains("full size"));
    CHECK_THAT(refused("", "o.dng"), Catch::Contains("no DNG"));
    CHECK_THAT(refused("--look " + (scratch / "in.tif").string()), Catch::Contains("no look"));
    CHECK_THAT(refused("--ground 900,5"), Catch::Contains("outside"));
}

TEST_CASE("merge finishes what it merged, and a project's picture as it was decided",
          "[cli][finish][project]") {
    const test::Scratch scratch;
    const Series series = test::write_series(scratch, test::strip_series({300, 160}, 4));
    const std::string frames = scratch.folder().string();
    auto merged = [&](const std::string& from, const char* out, const std::string& options) {
        REQUIRE(cli("merge " + from + " -o " + (scratch / "out" / out).string() +
                    " --quiet --method blend --area reference " + options)
                    .code == 0);
        return read_picture(scratch / "out" / out);
    };
    std::filesystem::create_directories(scratch / "out");
    const Picture plain = merged(frames, "plain.tif", ""),
                  brighter = merged(frames, "brighter.tif", "--brighten 0.5");
    Finish finish;
    finish.light.exposure_ev = 0.5;
    const Picture expected = finished(*finish_subject(plain, {}, 1, {}), finish, {});
    CHECK(cv::norm(brighter.pixels, expected.pixels, cv::NORM_INF) == 0);
    Project project = with_series({}, series, {}, std::nullopt);
    project = with_finish(project, finish, {});
    save_project(scratch / "kept" / "heath" / "heath.moorhaze", {project, {}, series.size()});
    const std::string kept = (scratch / "kept" / "heath").string();
    CHECK(cv::norm(merged(kept, "kept.tif", "").pixels, expected.pixels, cv::NORM_INF) == 0);
    CHECK(cv::norm(merged(kept, "bare.tif", "--no-finish").pixels, plain.pixels, cv::NORM_INF) == 0);
}

TEST_CASE("a project's result is finished though its frames are gone", "[cli][finish][project]") {
    const test::Scratch scratch;
    const Series series = test::write_series(scratch, test::strip_series({300, 160}, 3));
    Project project = with_series({}, series, {}, std::nullopt);
    MergeChoice choice;
    choice.method = "blend";
    project = with_merge(project, choice);
    const MadeFrom from = merge_inputs(project, project.frames[1].id);
    const SeriesGeometry geometry = align_series(series, from.align, nullptr, nullptr, {}).geometry;
    const MergeResult merged = merge_series(series, geometry, from, 0, {}, {});
    Finish finish;
    finish.light.exposure_ev = 0.5;
    project = with_finish(with_result(project, {{1}, "Even blend 1", from, 1, false, {}, {}}), finish, {});
    const auto folder = scratch / "kept" / "heath";
    save_project(folder / "heath.moorhaze", {project, {}, series.size()});
    CHECK(write_result(folder, {1}, merged, geometry, from, {}, {}).empty());
    for (const Frame& frame : series.frames) std::filesystem::remove(frame.path);
    REQUIRE(cli("finish " + folder.string() + " -o " + (scratch / "o.tif").string() + " --quiet").code == 0);
    const Picture expected = finished(*finish_subject(merged.picture, merged.area.tl(), 1, {}), finish, {});
    CHECK(cv::norm(read_picture(scratch / "o.tif").pixels, expected.pixels, cv::NORM_INF) == 0);
}
