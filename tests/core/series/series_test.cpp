// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/series/series.h"

#include <catch2/catch.hpp>

#include "core/files/exif_block.h"
#include "core/series/mixed.h"
#include "tests/support/scratch.h"
#include "tests/support/textured.h"

using namespace moorhaze;

namespace {

void write_frame(const std::filesystem::path& file, cv::Size size, std::optional<double> focus_m = {}) {
    ShootingData data;
    data.focus_distance_m = focus_m;
    data.exif = exif_block(data, size.width);
    write_picture(file, test::colourful(size, 8, false), data, {FileFormat::jpeg, 8, 90, true, {}}, {});
}

}  // namespace

TEST_CASE("numbers in names are ordered as numbers", "[series]") {
    CHECK(natural_less("frame-9.jpg", "frame-10.jpg"));
    CHECK_FALSE(natural_less("frame-10.jpg", "frame-9.jpg"));
    CHECK(natural_less("a2b10", "a2b11"));
    CHECK(natural_less("IMG_0099.tif", "IMG_100.tif"));
    CHECK_FALSE(natural_less("same", "same"));
    CHECK(natural_less("a", "ab"));
}

TEST_CASE("a folder opens in the order of its numbers, other files are passed over", "[series]") {
    const test::Scratch scratch;
    for (const char* name : {"f10.jpg", "f2.jpg", "f1.jpg"}) write_frame(scratch / name, {40, 30});
    test::write_all(scratch / "notes.txt", "heath, north slope");
    test::write_all(scratch / ".hidden.jpg", "x");
    const OpenedSeries opened = open_series({scratch.folder()}, {});
    REQUIRE(opened.series.count() == 3);
    CHECK(opened.series.frames[0].path.filename() == "f1.jpg");
    CHECK(opened.series.frames[2].path.filename() == "f10.jpg");
    CHECK(opened.problems.empty());
    CHECK(opened.series.range == FrameRange{0, 2});
}

TEST_CASE("a broken file is named and the rest goes on", "[series]") {
    const test::Scratch scratch;
    write_frame(scratch / "f1.jpg", {40, 30});
    write_frame(scratch / "f3.jpg", {40, 30});
    test::write_all(scratch / "f2.jpg", "");
    const OpenedSeries opened = open_series({scratch.folder()}, {});
    CHECK(opened.series.count() == 2);
    REQUIRE(opened.problems.size() == 1);
    CHECK_THAT(opened.problems[0], Catch::Contains("f2.jpg") && Catch::Contains("empty"));
}

TEST_CASE("a frame of another size is said and left out, not guessed", "[series]") {
    const test::Scratch scratch;
    for (const char* name : {"f1.jpg", "f2.jpg"}) write_frame(scratch / name, {40, 30});
    write_frame(scratch / "f3.jpg", {30, 40});
    const OpenedSeries opened = open_series({scratch.folder()}, {});
    CHECK(opened.series.count() == 2);
    REQUIRE(opened.problems.size() == 1);
    CHECK_THAT(opened.problems[0],
               Catch::Contains("f3.jpg") && Catch::Contains("30x40") && Catch::Contains("40x30"));
}

TEST_CASE("a series shot from far to near is turned round, and that is said", "[series]") {
    const test::Scratch scratch;
    write_frame(scratch / "f1.jpg", {40, 30}, 0.210);
    write_frame(scratch / "f2.jpg", {40, 30}, 0.205);
    write_frame(scratch / "f3.jpg", {40, 30}, 0.200);
    const OpenedSeries opened = open_series({scratch.folder()}, {});
    CHECK(opened.series.frames[0].path.filename() == "f3.jpg");
    REQUIRE(opened.notes.size() == 1);
    CHECK_THAT(opened.notes[0], Catch::Contains("far to near"));
}

TEST_CASE("an empty folder says what to do", "[series]") {
    const test::Scratch scratch;
    CHECK_THROWS_WITH(open_series({scratch.folder()}, {}),
                      Catch::Contains("holds no JPEG, TIFF, PNG or raw file"));
    CHECK_THROWS_AS(open_series({}, {}), FileError);
}

TEST_CASE("frames left out and frames outside the range are not chosen", "[series]") {
    Series series;
    series.frames.resize(5);
    series.range = {1, 3};
    series.frames[2].used = false;
    CHECK(series.chosen() == std::vector<int>{1, 3});
}

TEST_CASE("frames are named in runs of three and more, in pairs, and alone", "[series]") {
    CHECK(frame_list({2}) == "frame 3");
    CHECK(frame_list({2, 3}) == "frames 3 and 4");
    CHECK(frame_list({2, 3, 4}) == "frames 3 to 5");
    CHECK(frame_list({0, 2, 3, 4, 8}) == "frames 1, 3 to 5 and 9");
    CHECK(frame_list({0, 1, 5, 6}) == "frames 1 and 2 and 6 and 7");
}
