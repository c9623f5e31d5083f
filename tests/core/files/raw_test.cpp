// SPDX-License-Identifier: GPL-3.0-or-later
// Raw files with planted light: a DNG of known sensor values must come out as that light.
#include "core/files/raw.h"
#include "core/files/linear_dng.h"

#include <catch2/catch.hpp>

#include "core/files/picture_file.h"
#include "core/picture/tone_curve.h"
#include "core/series/series.h"
#include "tests/support/dng.h"
#include "tests/support/scratch.h"

using namespace moorhaze;

namespace {

/// Four fields of even light with a little noise, as every sensor has.
cv::Vec3d fields(int x, int y) {
    static const cv::Vec3d light[4] = {
        {0.5, 0.5, 0.5}, {0.6, 0.2, 0.1}, {0.1, 0.5, 0.15}, {0.08, 0.12, 0.55}};
    const double grain = 0.0006 * ((x * 7 + y * 13) % 5 - 2);
    return light[(x >= 64) + 2 * (y >= 48)] + cv::Vec3d(grain, grain, grain);
}

test::DngSettings settings_of(cv::Size size, int orientation = 1) {
    test::DngSettings settings;
    settings.size = size;
    settings.orientation = orientation;
    return settings;
}

/// Linear sRGB of a developed pixel: out of BT.2020 primaries by the matrix of ITU-R BT.2087 (inverse, from
/// memory to four digits).
cv::Vec3d srgb_light(const Picture& picture, cv::Point at) {
    const cv::Mat3f light = to_linear(picture, ToneCurve(picture.profile));
    const cv::Matx33d back(1.6605, -0.5876, -0.0728, -0.1246, 1.1329, -0.0083, -0.0182, -0.1006, 1.1187);
    return back * cv::Vec3d(light(at));
}

}  // namespace

TEST_CASE("developed raw files hold the planted light, in every way of demosaicing", "[raw]") {
    const test::Scratch scratch;
    test::write_dng(scratch / "a.dng", settings_of({128, 96}), fields);
    const auto way = GENERATE(Demosaic::bilinear, Demosaic::ppg, Demosaic::ahd);
    Development development;
    development.demosaic = way;
    const Picture picture = read_picture(scratch / "a.dng", development);
    REQUIRE(picture.pixels.size() == cv::Size(128, 96));
    CHECK(picture.bits() == 16);
    for (const cv::Point at : {cv::Point(30, 24), {96, 24}, {30, 72}, {96, 72}}) {
        const cv::Vec3d found = srgb_light(picture, at), planted = fields(at.x, at.y);
        // Grain is 0.0012, the matrices have four digits.
        for (int c = 0; c < 3; ++c) CHECK_THAT(found[c], Catch::Matchers::WithinAbs(planted[c], 0.006));
    }
}

TEST_CASE("white balance, exposure, black and white point of raw files do what they say", "[raw]") {
    const test::Scratch scratch;
    const auto file = scratch / "a.dng";
    test::write_dng(file, settings_of({128, 96}), fields);
    const cv::Point grey(30, 24);
    Development brighter;
    brighter.exposure_ev = 0.5;
    CHECK_THAT(srgb_light(read_picture(file, brighter), grey)[1],
               Catch::Matchers::WithinAbs(0.5 * std::sqrt(2.0), 0.006));
    Development warmer;  // the file notes 2 for red and 1.6 for blue
    warmer.red = 2.2;
    warmer.blue = 1.6;
    const cv::Vec3d warm = srgb_light(read_picture(file, warmer), grey);
    CHECK_THAT(warm[0], Catch::Matchers::WithinAbs(0.55, 0.006));
    CHECK_THAT(warm[1], Catch::Matchers::WithinAbs(0.5, 0.006));
    Development points;
    points.black_shift = 0.1;
    points.white_shift = 0.2;
    CHECK_THAT(srgb_light(read_picture(file, points), grey)[1],
               Catch::Matchers::WithinAbs((0.5 - 0.1) / 0.7, 0.008));
    points.black_shift = 0.6;
    CHECK_THROWS_AS(read_picture(file, points), BadParameter);
}

TEST_CASE("a raw file says what it is without being decoded, and a preview is half the size", "[raw]") {
    const test::Scratch scratch;
    auto settings = settings_of({128, 96}, 6);
    settings.taken = "2026:09:12 07:31:05";
    test::write_dng(scratch / "a.dng", settings, fields);
    const PictureInfo info = read_picture_info(scratch / "a.dng");
    CHECK(info.format == FileFormat::raw);
    CHECK(info.width == 96);  // turned by a quarter
    CHECK(info.height == 128);
    CHECK(info.bits == 14);
    CHECK(info.noted_red == Approx(2.0).epsilon(0.001));
    CHECK(info.noted_blue == Approx(1.6).epsilon(0.001));
    const Picture whole = read_picture(scratch / "a.dng"), half = read_preview(scratch / "a.dng", 50);
    CHECK(whole.pixels.size() == cv::Size(96, 128));
    CHECK(half.pixels.size() == cv::Size(38, 50));
    // Turned clockwise, the upper left field comes to lie at the upper right.
    CHECK_THAT(srgb_light(whole, {90, 10})[0], Catch::Matchers::WithinAbs(0.5, 0.006));
    CHECK_THAT(srgb_light(half, {34, 4})[0], Catch::Matchers::WithinAbs(0.5, 0.006));
}

TEST_CASE("a developed picture becomes a linear DNG that develops to the same again", "[raw][handover]") {
    const test::Scratch scratch;
    test::write_dng(scratch / "a.dng", settings_of({128, 96}), fields);
    for (const Development& development :
         {Development{}, Development{.red = 1.6, .blue = 2.1, .exposure_ev = 0.7},
          Development{.red = 2.4, .exposure_ev = -0.5, .black_shift = 0.01, .white_shift = 0.05}}) {
        const Picture picture = develop_raw(scratch / "a.dng", development, 1);
        const RawRendering rendering = raw_rendering(scratch / "a.dng", development);
        CHECK(*std::max_element(rendering.neutral.val, rendering.neutral.val + 3) == Approx(1));
        const Picture preview{cv::Mat(40, 60, CV_8UC3, cv::Scalar(90, 120, 60)), {}, {}};
        write_linear_dng(scratch / "merged.dng", picture, rendering, preview,
                         {.shooting = {}, .made_with = "Moorhaze woven merge"}, true, {});
        CHECK(read_picture_info(scratch / "merged.dng").width == picture.width());
        const Picture again = develop_raw(scratch / "merged.dng", development, 1);
        REQUIRE(again.pixels.size() == picture.pixels.size());
        // The fields' edges hold more than the sensor's white in one channel after development: what was held
        // there stays held.
        CHECK(cv::norm(again.pixels, picture.pixels, cv::NORM_L1) / double(3 * picture.pixels.total()) <
              65535 * 0.5 / 255);
        // White balance is open: another one gives what it gives on the frame itself.
        Development other = development;
        other.red = 1.2, other.blue = 1.3;
        const Picture from_frame = develop_raw(scratch / "a.dng", other, 1),
                      from_merge = develop_raw(scratch / "merged.dng", other, 1);
        CHECK(cv::norm(from_frame.pixels, from_merge.pixels, cv::NORM_L1) /
                  double(3 * picture.pixels.total()) <
              65535 * 2.0 / 255);
    }
    const Picture srgb{cv::Mat(8, 8, CV_16UC3, cv::Scalar::all(1000)), {}, {}};
    CHECK_THROWS_WITH(
        write_linear_dng(scratch / "no.dng", srgb, raw_rendering(scratch / "a.dng", {}), srgb, {}, true, {}),
        Catch::Contains("raw frames"));
    CHECK_FALSE(std::filesystem::exists(scratch / "no.dng"));
}

TEST_CASE("an over-exposed ground that fills whole rows is light, not damage", "[raw]") {
    const test::Scratch scratch;
    for (const bool below : {true, false}) {
        INFO(below);
        test::write_dng(scratch / "bright.dng", settings_of({128, 96}), [&](int x, int y) {
            const bool bright = below ? y > 40 : y < 40;
            return bright ? cv::Vec3d(6, 6, 6) : cv::Vec3d(0.2 + 0.001 * x, 0.2, 0.3);
        });
        const Picture picture = read_picture(scratch / "bright.dng");
        CHECK_THAT(srgb_light(picture, {60, below ? 80 : 20})[1], Catch::Matchers::WithinAbs(1, 0.02));
        CHECK(read_preview(scratch / "bright.dng", 40).width() == 40);
    }
}

TEST_CASE("a raw file that is cut off anywhere is recognised, never an empty or half-empty picture",
          "[raw]") {
    const test::Scratch scratch;
    test::write_dng(scratch / "whole.dng", settings_of({128, 96}), fields);
    const std::string bytes = test::read_all(scratch / "whole.dng");
    for (const double part : {0.05, 0.3, 0.6, 0.9}) {
        INFO(part);
        test::write_all(scratch / "cut.dng", bytes.substr(0, std::size_t(double(bytes.size()) * part)));
        CHECK_THROWS_AS(read_picture(scratch / "cut.dng"), FileError);
        CHECK_THROWS_AS(read_preview(scratch / "cut.dng", 20), FileError);
    }
    // The place is there, but was never written: a card that filled up, a copy that broke off.
    std::string empty = bytes;
    std::fill(empty.begin() + std::ptrdiff_t(empty.size() / 2), empty.end() - 2000, '\0');
    test::write_all(scratch / "empty.dng", empty);
    CHECK_THROWS_WITH(read_picture(scratch / "empty.dng"),
                      Catch::Contains("cut off") && Catch::Contains("empty.dng"));
    test::write_all(scratch / "text.dng", "heath, north slope");
    CHECK_THROWS_AS(read_picture_info(scratch / "text.dng"), FileError);
}

TEST_CASE("a raw series is developed alike: one white balance, and differing notes are reported", "[raw]") {
    const test::Scratch scratch;
    for (int i = 0; i < 5; ++i) {
        auto settings = settings_of({128, 96});
        if (i == 3) settings.neutral = {0.4f, 1, 0.7f};
        test::write_dng(scratch / ("f" + std::to_string(i) + ".dng"), settings, fields);
    }
    const OpenedSeries opened = open_series({scratch.folder()}, {});
    REQUIRE(opened.series.count() == 5);
    for (const Frame& frame : opened.series.frames) {
        CHECK(frame.development.red == Approx(2.0).epsilon(0.001));
        CHECK(frame.development == opened.series.frames[0].development);
    }
    REQUIRE(opened.notes.size() == 1);
    CHECK_THAT(opened.notes[0], Catch::Contains("1 of 5") && Catch::Contains("white balance"));
}

TEST_CASE("of a raw file and a picture of the same name the raw file is taken", "[raw][series]") {
    const test::Scratch scratch;
    for (const char* name : {"a", "b"}) {
        test::write_dng(scratch / (std::string(name) + ".dng"), settings_of({128, 96}), fields);
        write_picture(scratch / (std::string(name) + ".jpg"),
                      read_picture(scratch / (std::string(name) + ".dng")), {},
                      {FileFormat::jpeg, 8, 90, true, {}}, {});
    }
    const OpenedSeries opened = open_series({scratch.folder()}, {});
    REQUIRE(opened.series.count() == 2);
    CHECK(opened.series.frames[0].path.extension() == ".dng");
    REQUIRE(opened.notes.size() == 1);
    CHECK_THAT(opened.notes[0], Catch::Contains("2 pictures stand beside raw files"));
}
