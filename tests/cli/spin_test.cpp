// SPDX-License-Identifier: GPL-3.0-or-later
// Spin pages: what is written, and how they turn and zoom in a real browser, opened from the disc.
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>
#include <opencv2/imgproc.hpp>

#include "core/files/picture_file.h"
#include "core/sets/spin_page.h"
#include "tests/support/card_files.h"

using namespace moorhaze;
using nlohmann::json;
namespace fs = std::filesystem;

namespace {

constexpr int kViews = 8;

/// The colour that fills the middle of a view: hues all around.
cv::Vec3b colour_of(int view) {
    cv::Mat3b hsv(1, 1, cv::Vec3b(std::uint8_t(180 * view / kViews), 200, 220)), rgb;
    cv::cvtColor(hsv, rgb, cv::COLOR_HSV2RGB);
    return rgb(0, 0);
}

WriteSettings as_png() {
    WriteSettings write;
    write.format = FileFormat::png;
    write.bits = 8;
    return write;
}

void write_views(const fs::path& folder, const std::vector<int>& numbers, cv::Size size = {900, 600}) {
    fs::create_directories(folder);
    for (const int number : numbers) {
        Picture view;
        view.pixels = cv::Mat(size, CV_8UC3, cv::Scalar(255, 255, 255));
        const cv::Vec3b own = colour_of(number - 1);
        view.pixels(cv::Rect(size.width / 4, size.height / 4, size.width / 2, size.height / 2))
            .setTo(cv::Scalar(own[0], own[1], own[2]));
        write_picture(
            folder / ("knob-" + std::string(number < 10 ? "0" : "") + std::to_string(number) + ".png"), view,
            {}, as_png(), {});
    }
}

std::vector<int> all_numbers() {
    std::vector<int> numbers;
    for (int i = 1; i <= kViews; ++i) numbers.push_back(i);
    return numbers;
}

test::Ran spin(const fs::path& from, const fs::path& to, const std::string& more = "") {
    return test::run(std::string(MOORHAZE_CLI) + " spin '" + from.string() + "' -o '" + to.string() + "' " +
                     more);
}

json turned(const fs::path& page, const fs::path& pictures, const std::string& more = "") {
    fs::create_directories(pictures);
    const auto ran = test::run(std::string(MOORHAZE_TURN_SPIN_PAGE) + " '" + page.string() + "' '" +
                               pictures.string() + "' " + more);
    INFO(ran.text);
    REQUIRE(ran.code == 0);
    return json::parse(ran.text);
}

/// The view whose colour is seen in the middle of a picture of the page, from 1.
int view_seen(const fs::path& file) {
    const Picture picture = with_bits(read_picture(file), 8);
    const cv::Vec3b seen = picture.pixels.at<cv::Vec3b>(picture.height() * 4 / 10, picture.width() / 2);
    int nearest = 0;
    double least = 1e9;
    for (int view = 0; view < kViews; ++view)
        if (const double off = cv::norm(cv::Vec3i(seen) - cv::Vec3i(colour_of(view))); off < least)
            least = off, nearest = view + 1;
    CHECK(least < 20);
    return nearest;
}

void check_no_way_out(const json& seen) {
    CHECK(seen["outside"].empty());
    CHECK(seen["errors"].empty());
    CHECK(seen["overflows"] == false);
    CHECK(seen["role"] == "slider");
    CHECK_THAT(seen["label"].get<std::string>(), Catch::Contains("brass & <knob>"));
}

}  // namespace

TEST_CASE("a spin page turns by drag, wheel and keys, and comes close by tiles, all from its own folder",
          "[cli][sets][browser]") {
    const test::Scratch scratch;
    write_views(scratch / "views", all_numbers(), {1800, 1200});
    const auto made = spin(scratch / "views", scratch / "the knob", "--deep-zoom --title 'brass & <knob>'");
    INFO(made.text);
    REQUIRE(made.code == 0);
    CHECK_THAT(made.text,
               Catch::Contains("8 views") && Catch::Contains("<iframe src=\"the%20knob/index.html\""));
    const json seen = turned(scratch / "the knob", scratch / "seen");
    INFO(seen.dump(1));
    check_no_way_out(seen);
    const auto& steps = seen["seen"];
    CHECK((steps["first"]["now"] == 1 && steps["first"]["shown"] == "01.jpg"));
    CHECK((steps["dragged"]["now"] == 4 && steps["dragged"]["shown"] == "04.jpg"));
    CHECK(steps["dragged"]["words"] == "view 4 of 8, 135 degrees");
    CHECK(steps["wheeled"]["now"] == 6);
    CHECK(steps["keys"]["now"] == 3);
    CHECK(steps["end"]["now"] == 8);
    CHECK(steps["round"]["now"] == 1);
    for (const char* name :
         {"first", "dragged", "wheeled", "keys", "end", "round", "near", "near_turned", "far"}) {
        INFO(name);
        CHECK(view_seen(scratch / "seen" / (std::string(name) + ".png")) == steps[name]["now"]);
    }
    CHECK(steps["near"]["pressed"] == "true");
    CHECK(steps["near_turned"]["now"] == 2);
    CHECK(steps["far"]["pressed"] == "false");
    // Tiles of the full size were asked for, of the views that were looked at closely and no others.
    const auto asked = [&](const std::string& begin) {
        return std::any_of(seen["requests"].begin(), seen["requests"].end(),
                           [&](const json& url) { return url.get<std::string>().starts_with(begin); });
    };
    CHECK(asked("tiles/01_files/11/"));
    CHECK(asked("tiles/02_files/11/"));
    CHECK_FALSE(asked("tiles/05_files/"));
    CHECK(asked("viewer/openseadragon.min.js"));
    for (int view = 1; view <= kViews; ++view) CHECK(asked("views/0" + std::to_string(view) + ".jpg"));
}

TEST_CASE("a spin page is swiped and pinched on a phone", "[cli][sets][browser]") {
    const test::Scratch scratch;
    write_views(scratch / "views", all_numbers());
    REQUIRE(spin(scratch / "views", scratch / "page", "--quiet --title 'brass & <knob>'").code == 0);
    const json seen = turned(scratch / "page", scratch / "seen", "--phone");
    INFO(seen.dump(1));
    check_no_way_out(seen);
    const auto& steps = seen["seen"];
    CHECK(steps["dragged"]["now"] == 4);
    CHECK(steps["near"]["pressed"] == "true");
    CHECK_THAT(steps["near"]["transform"].get<std::string>(), Catch::Contains("scale("));
    CHECK(steps["far"]["pressed"] == "false");
    for (const char* name : {"first", "dragged", "far"}) {
        INFO(name);
        CHECK(view_seen(scratch / "seen" / (std::string(name) + ".png")) == steps[name]["now"]);
    }
    // Without deep zoom there is no viewer to load.
    CHECK_FALSE(fs::exists(scratch / "page" / "viewer"));
}

TEST_CASE("tiles show the picture, and fit together", "[sets]") {
    const test::Scratch scratch;
    test::write_card(scratch / "card", {"a"}, {1100, 700}, 2);
    fs::create_directories(scratch / "views");
    for (int i = 1; i <= 2; ++i)
        fs::copy_file(scratch / "card" / "a" / ("frame-0" + std::to_string(i) + ".tif"),
                      scratch / "views" / ("v-" + std::to_string(i) + ".tif"));
    SpinSettings settings;
    settings.deep_zoom = true;
    settings.quality = 95;
    const SpinPage page =
        write_spin_page(numbered_pictures(scratch / "views"), scratch / "page", settings, {});
    CHECK(page.views == 2);
    const Picture whole = read_picture(scratch / "views" / "v-1.tif");
    // Deep Zoom Image: level ceil(log2(longest side)) is the full size; tiles overlap by 1 px.
    const fs::path finest = scratch / "page" / "tiles" / "01_files" / "11";
    int tiles = 0;
    for (int row = 0; row < 2; ++row)
        for (int column = 0; column < 3; ++column) {
            const Picture tile =
                read_picture(finest / (std::to_string(column) + "_" + std::to_string(row) + ".jpg"));
            const cv::Point corner(std::max(0, column * 510 - 1), std::max(0, row * 510 - 1));
            const cv::Rect place(corner, tile.pixels.size());
            REQUIRE((place & cv::Rect({}, whole.pixels.size())) == place);
            CHECK(cv::norm(tile.pixels, whole.pixels(place), cv::NORM_L1) / double(place.area() * 3) < 2.5);
            ++tiles;
        }
    CHECK(tiles == 6);
    CHECK_FALSE(fs::exists(finest / "3_0.jpg"));
    const Picture coarse = read_picture(scratch / "page" / "tiles" / "01_files" / "10" / "0_0.jpg");
    CHECK((coarse.width() == 511 && coarse.height() == 350));
    CHECK(fs::exists(scratch / "page" / "viewer" / "LICENSE.txt"));
}

TEST_CASE("missing and doubled views are told, and nothing else is replaced by a page", "[cli][sets]") {
    const test::Scratch scratch;
    write_views(scratch / "views", {1, 2, 5, 6}, {90, 60});
    test::write_all(scratch / "views" / "notes.txt", "not a picture");
    fs::copy_file(scratch / "views" / "knob-06.png", scratch / "views" / "knob-6.png");
    const auto ran = spin(scratch / "views", scratch / "page");
    INFO(ran.text);
    CHECK(ran.code == 0);
    CHECK_THAT(ran.text,
               Catch::Contains("views 3 to 4 are missing") && Catch::Contains("view 6 is there twice"));
    CHECK(spin(scratch / "views", scratch / "page", "--quiet").code == 1);
    CHECK(spin(scratch / "views", scratch / "page", "--quiet --overwrite").code == 0);
    CHECK(spin(scratch / "page", scratch / "other").code == 1);  // its pictures lie deeper
    test::write_all(scratch / "full" / "letter.txt", "");
    fs::create_directories(scratch / "full");
    test::write_all(scratch / "full" / "letter.txt", "dear");
    CHECK(spin(scratch / "views", scratch / "full", "--overwrite").code == 1);
    CHECK(test::read_all(scratch / "full" / "letter.txt") == "dear");
    CHECK(spin(scratch / "views", scratch / "page", "--overwrite --size 5").code == 2);
    Picture odd;
    odd.pixels = cv::Mat(50, 60, CV_8UC3, cv::Scalar(1, 2, 3));
    write_picture(scratch / "views" / "knob-07.png", odd, {}, as_png(), {});
    const auto sizes = spin(scratch / "views", scratch / "odd");
    CHECK(sizes.code == 1);
    CHECK_THAT(sizes.text, Catch::Contains("knob-07.png") && Catch::Contains("60x50"));
    CHECK_FALSE(fs::exists(scratch / "odd"));
    for (const auto& entry : fs::directory_iterator(scratch.folder()))
        CHECK_FALSE(entry.path().filename().string().starts_with("."));
}
