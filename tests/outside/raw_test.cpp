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

}  // namespace

TEST_CASE("a camera's own raw file is developed whole", "[outside][raw]") {
    // kimageformats 5.103, autotests/read/raw: with the same picture as PNG beside it, made by others.
    const auto folder = outside("kimageformats/autotests/read/raw");
    const auto file = folder / "RAW_KODAK_C330_FORMAT_NONE_YRGB.raw";
    const PictureInfo info = read_picture_info(file);
    CHECK(info.format == FileFormat::raw);
    CHECK(info.width == 1216);
    CHECK(info.height == 912);
    const Picture picture = read_picture(file);
    CHECK(picture.bits() == 16);
    const Picture theirs = read_picture(folder / "RAW_KODAK_C330_FORMAT_NONE_YRGB.png");
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
    // libimage-exiftool-perl 12.57, t/images: raw files cut down to their metadata. For DNG.dng and
    // Panasonic.rw2 LibRaw 0.20 reports no error of any kind and hands out an all-zero or half-empty picture.
    const auto folder = outside("libimage-exiftool-perl/t/images");
    for (const char* name : {"DNG.dng", "CanonRaw.cr2", "CanonRaw.cr3", "FujiFilm.raf", "Nikon.nef",
                             "Panasonic.rw2", "KyoceraRaw.raw"}) {
        INFO(name);
        CHECK_THROWS_AS(read_picture(folder / name), FileError);
        CHECK_THROWS_AS(read_preview(folder / name, 200), FileError);
        CHECK_THROWS_AS(read_camera_light(folder / name, Demosaic::bilinear), FileError);
    }
}

TEST_CASE("shooting data of raw files are read even where their pixels are gone", "[outside][raw]") {
    // Values as Debian's exiftool prints them for these files.
    const auto folder = outside("libimage-exiftool-perl/t/images");
    const RawInfo nikon = read_raw_info(folder / "Nikon.nef");
    CHECK(nikon.shooting.taken.value_or("") == "2004-06-09 16:02:35");
    CHECK(nikon.width == 3039);
    const RawInfo dng = read_raw_info(folder / "DNG.dng");
    CHECK_THAT(dng.shooting.camera, Catch::Contains("350D"));
    CHECK(dng.noted_red > 1);
}

TEST_CASE("a cut-off raw file in a series is left out with its reason, the others stay", "[outside][raw]") {
    const test::Scratch scratch;
    const auto good = outside("kimageformats/autotests/read/raw/RAW_KODAK_C330_FORMAT_NONE_YRGB.raw");
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
