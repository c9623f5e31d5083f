// SPDX-License-Identifier: GPL-3.0-or-later
// Raw files that cameras and others wrote. tools/outside-data fetches them from Debian's source packages.
#include <catch2/catch.hpp>
#include <opencv2/imgproc.hpp>

#include "core/files/raw.h"
#include "core/series/series.h"
#include "tests/outside/outside_data.h"
#include "tests/support/scratch.h"

using namespace moorhaze;

namespace {

std::filesystem::path outside(const std::string& name) {
    const auto file = test::outside_folder() / name;
    INFO(file << " is missing: run tools/outside-data");
    REQUIRE(std::filesystem::exists(file));
    return file;
}

/// The file of a folder with this ending.
std::filesystem::path the_one(const std::filesystem::path& folder, const std::string& ending) {
    for (const auto& entry : std::filesystem::directory_iterator(folder))
        if (entry.path().extension() == ending) return entry.path();
    FAIL("no " << ending << " in " << folder);
    return {};
}

}  // namespace

TEST_CASE("a camera's own raw file is developed whole", "[outside][raw]") {
    // kimageformats 5.103, autotests/read/raw: with the same picture as PNG beside it, made by others.
    const auto folder = outside("kimageformats/autotests/read/raw");
    const auto file = the_one(folder, ".raw");
    const PictureInfo info = read_picture_info(file);
    CHECK(info.format == FileFormat::raw);
    CHECK(info.width == 1216);
    CHECK(info.height == 912);
    const Picture picture = read_picture(file);
    CHECK(picture.bits() == 16);
    const Picture theirs = read_picture(the_one(folder, ".png"));
    REQUIRE(theirs.pixels.size() == picture.pixels.size());
    // Others develop with another curve, brightness and primaries: what must agree is where things are.
    cv::Mat1f ours_grey, theirs_grey;
    cv::Mat grey;
    cv::cvtColor(with_bits(picture, 8).pixels, grey, cv::COLOR_RGB2GRAY);
    grey.convertTo(ours_grey, CV_32F);
    cv::cvtColor(with_bits(theirs, 8).pixels, grey, cv::COLOR_RGB2GRAY);
    grey.convertTo(theirs_grey, CV_32F);
    cv::Scalar mean_one, mean_two, spread_one, spread_two;
    cv::meanStdDev(ours_grey, mean_one, spread_one);
    cv::meanStdDev(theirs_grey, mean_two, spread_two);
    const double correlation = (ours_grey - mean_one[0]).dot(theirs_grey - mean_two[0]) /
                               (double(ours_grey.total()) * spread_one[0] * spread_two[0]);
    CHECK(correlation > 0.95);
}

TEST_CASE("cut-off raw files of many makers are recognised, though the library calls some of them whole",
          "[outside][raw]") {
    // libimage-exiftool-perl 12.57, t/images: raw files cut down to their metadata. For the DNG and the RW2
    // among them LibRaw 0.20 reports no error of any kind and hands out an all-zero or half-empty picture.
    int files = 0;
    for (const auto& entry :
         std::filesystem::directory_iterator(outside("libimage-exiftool-perl/t/images"))) {
        const auto& endings = raw_endings();
        std::string ending = entry.path().extension().string();
        if (std::find(endings.begin(), endings.end(), ending) == endings.end()) continue;
        INFO(entry.path().filename());
        ++files;
        CHECK_THROWS_AS(read_picture(entry.path()), FileError);
        CHECK_THROWS_AS(read_preview(entry.path(), 200), FileError);
    }
    CHECK(files >= 7);
}

TEST_CASE("shooting data of raw files are read even where their pixels are gone", "[outside][raw]") {
    // Values as Debian's exiftool prints them for these files.
    int seen = 0;
    for (const auto& entry :
         std::filesystem::directory_iterator(outside("libimage-exiftool-perl/t/images"))) {
        if (entry.path().extension() == ".nef") {
            const RawInfo info = read_raw_info(entry.path());
            CHECK(info.shooting.taken.value_or("") == "2004-06-09 16:02:35");
            CHECK(info.width == 3039);
            ++seen;
        } else if (entry.path().extension() == ".dng") {
            const RawInfo info = read_raw_info(entry.path());
            CHECK_THAT(info.shooting.camera, Catch::Contains("350D"));
            CHECK(info.noted_red > 1);
            ++seen;
        }
    }
    CHECK(seen >= 2);
}

TEST_CASE("a cut-off raw file in a series is left out with its reason, the others stay", "[outside][raw]") {
    const test::Scratch scratch;
    const auto good = the_one(outside("kimageformats/autotests/read/raw"), ".raw");
    for (const char* name : {"a.raw", "b.raw", "c.raw"}) std::filesystem::copy_file(good, scratch / name);
    std::filesystem::resize_file(scratch / "b.raw", std::filesystem::file_size(good) / 3);
    const OpenedSeries opened = open_series({scratch.folder()}, {});
    int readable = 0;
    for (const Frame& frame : opened.series.frames) try {
            readable += !read_picture(frame.path, frame.development).pixels.empty();
        } catch (const FileError& error) {
            CHECK_THAT(error.what(), Catch::Contains("b.raw"));
        }
    CHECK(readable == 2);
}
