// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/files/picture_file.h"

#include <fcntl.h>
#include <lcms2.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

#include <atomic>
#include <catch2/catch.hpp>
#include <fstream>
#include <thread>

#include "core/files/safe_write.h"
#include "tests/support/measures.h"
#include "tests/support/scratch.h"
#include "tests/support/textured.h"

using namespace moorhaze;
using test::colourful;

namespace {

bool same_pixels(const cv::Mat& one, const cv::Mat& other) {
    return one.size() == other.size() && one.type() == other.type() &&
           cv::norm(one, other, cv::NORM_INF) == 0;
}

ColourProfile some_profile() {
    // A wide RGB space of our own making: primaries and gamma differ from sRGB.
    const cmsCIExyY white{0.3127, 0.3290, 1};
    const cmsCIExyYTRIPLE primaries{{0.68, 0.32, 1}, {0.21, 0.71, 1}, {0.15, 0.06, 1}};
    cmsToneCurve* gamma = cmsBuildGamma(nullptr, 1.8);
    cmsToneCurve* curves[3] = {gamma, gamma, gamma};
    cmsHPROFILE made = cmsCreateRGBProfile(&white, &primaries, curves);
    cmsUInt32Number size = 0;
    cmsSaveProfileToMem(made, nullptr, &size);
    ColourProfile profile;
    profile.icc.resize(size);
    cmsSaveProfileToMem(made, profile.icc.data(), &size);
    cmsCloseProfile(made);
    cmsFreeToneCurve(gamma);
    return profile;
}

WriteSettings as(FileFormat format, int bits) {
    WriteSettings settings;
    settings.format = format;
    settings.bits = bits;
    return settings;
}

}  // namespace

TEST_CASE("TIFF and PNG keep every bit, with and without alpha, at odd sizes", "[files]") {
    const test::Scratch scratch;
    int number = 0;
    for (const FileFormat format : {FileFormat::tiff, FileFormat::png})
        for (const int bits : {8, 16})
            for (const bool alpha : {false, true})
                for (const cv::Size size : {cv::Size(1, 1), cv::Size(37, 23), cv::Size(130, 71)}) {
                    const Picture picture = colourful(size, bits, alpha);
                    const auto file =
                        scratch / (std::to_string(number++) + (format == FileFormat::tiff ? ".tif" : ".png"));
                    write_picture(file, picture, {}, as(format, bits), {});
                    const Picture back = read_picture(file);
                    CHECK(same_pixels(back.pixels, picture.pixels));
                    CHECK(same_pixels(back.alpha, picture.alpha));
                    const PictureInfo info = read_picture_info(file);
                    CHECK((info.width == size.width && info.height == size.height && info.bits == bits &&
                           info.format == format));
                }
}

TEST_CASE("JPEG comes back close to what was written", "[files]") {
    const test::Scratch scratch;
    const test::Texture texture(2);
    const Picture picture =
        with_bits(test::picture_from({160, 90}, [&](int x, int y) { return texture.at(x, y); }), 8);
    write_picture(scratch / "a.jpg", picture, {}, as(FileFormat::jpeg, 8), {});
    CHECK(test::psnr_db(test::luma_of(read_picture(scratch / "a.jpg")), test::luma_of(picture)) > 40);
}

TEST_CASE("the profile goes through every format byte by byte", "[files]") {
    const test::Scratch scratch;
    for (const auto& [name, format] : {std::pair{"a.tif", FileFormat::tiff}, {"a.jpg", FileFormat::jpeg}}) {
        Picture picture = colourful({20, 20}, 8, false);
        picture.profile = some_profile();
        write_picture(scratch / name, picture, {}, as(format, 8), {});
        CHECK(read_picture(scratch / name).profile == picture.profile);
    }
}

TEST_CASE("a wrong ending is read by its first bytes and said", "[files]") {
    const test::Scratch scratch;
    write_picture(scratch / "a.png", colourful({9, 9}, 8, false), {}, as(FileFormat::png, 8), {});
    std::filesystem::rename(scratch / "a.png", scratch / "a.jpg");
    const PictureInfo info = read_picture_info(scratch / "a.jpg");
    CHECK(info.format == FileFormat::png);
    CHECK_THAT(info.warning, Catch::Contains("a.jpg"));
    CHECK(read_picture(scratch / "a.jpg").width() == 9);
}

TEST_CASE("missing, empty, foreign and damaged files are reported by name", "[files]") {
    const test::Scratch scratch;
    test::write_all(scratch / "empty.jpg", "");
    test::write_all(scratch / "text.tif", "this is no picture at all, but it is long enough to look at");
    test::write_all(scratch / "damaged.jpg", std::string("\xff\xd8\xff\xe0", 4) + std::string(300, 'x'));
    test::write_all(scratch / "damaged.png", std::string("\x89PNG\r\n\x1a\n", 8) + std::string(300, 'x'));
    test::write_all(scratch / "damaged.tif", std::string("II*\0\x08\0\0\0", 8) + std::string(300, '\xee'));
    for (const char* name :
         {"missing.jpg", "empty.jpg", "text.tif", "damaged.jpg", "damaged.png", "damaged.tif"}) {
        CHECK_THROWS_WITH(read_picture(scratch / name), Catch::Contains(name));
        CHECK_THROWS_AS(read_picture_info(scratch / name), FileError);
    }
    CHECK_THROWS_AS(read_picture(scratch.folder()), FileError);
}

TEST_CASE("a file that is cut off is an error in every format, wherever it ends", "[files]") {
    const test::Scratch scratch;
    for (const auto& [name, format] :
         {std::pair{"a.tif", FileFormat::tiff}, {"a.jpg", FileFormat::jpeg}, {"a.png", FileFormat::png}}) {
        write_picture(scratch / name, colourful({200, 150}, 8, false), {}, as(format, 8), {});
        const std::string whole = test::read_all(scratch / name);
        for (const double part : {0.1, 0.5, 0.9}) {
            test::write_all(scratch / name, whole.substr(0, std::size_t(double(whole.size()) * part)));
            CHECK_THROWS_AS(read_picture(scratch / name), FileError);
        }
    }
}

TEST_CASE("random damage never crashes a reader", "[files]") {
    const test::Scratch scratch;
    for (const auto& [name, format] :
         {std::pair{"a.tif", FileFormat::tiff}, {"a.jpg", FileFormat::jpeg}, {"a.png", FileFormat::png}}) {
        write_picture(scratch / name, colourful({40, 30}, 8, false), {}, as(format, 8), {});
        const std::string whole = test::read_all(scratch / name);
        unsigned random = 12345;
        for (int round = 0; round < 300; ++round) {
            std::string hurt = whole;
            for (int k = 0; k < 3; ++k) {
                random = random * 1664525u + 1013904223u;
                hurt[random % hurt.size()] = char(random >> 24);
            }
            test::write_all(scratch / name, hurt);
            try {
                const Picture picture = read_picture(scratch / name);
                CHECK(picture.pixels.cols > 0);
            } catch (const FileError&) {
                SUCCEED();
            }
        }
    }
}

TEST_CASE("a header that promises an impossible size is refused before memory is taken", "[files]") {
    const test::Scratch scratch;
    write_picture(scratch / "a.png", colourful({40, 30}, 8, false), {}, as(FileFormat::png, 8), {});
    std::string bytes = test::read_all(scratch / "a.png");
    bytes.replace(16, 8, std::string("\x00\x01\x86\xa0\x00\x01\x86\xa0", 8));  // 100000 x 100000
    test::write_all(scratch / "a.png", bytes);
    CHECK_THROWS_AS(read_picture(scratch / "a.png"), FileError);
}

TEST_CASE("EXIF orientation is applied: all eight ways give the same upright picture", "[files]") {
    const test::Scratch scratch;
    const Picture upright = colourful({24, 10}, 8, false);
    for (int orientation = 1; orientation <= 8; ++orientation) {
        // EXIF 2.32, tag 0x0112: where row 0 and column 0 of the stored picture lie.
        cv::Mat stored;
        const cv::Mat& p = upright.pixels;
        switch (orientation) {
            case 1:
                stored = p.clone();
                break;
            case 2:
                cv::flip(p, stored, 1);
                break;
            case 3:
                cv::rotate(p, stored, cv::ROTATE_180);
                break;
            case 4:
                cv::flip(p, stored, 0);
                break;
            case 5:
                cv::transpose(p, stored);
                break;
            case 6:
                cv::rotate(p, stored, cv::ROTATE_90_COUNTERCLOCKWISE);
                break;
            case 7:
                cv::flip(p, stored, -1);
                cv::transpose(stored, stored);
                break;
            default:
                cv::rotate(p, stored, cv::ROTATE_90_CLOCKWISE);
                break;
        }
        const auto file = scratch / ("o" + std::to_string(orientation) + ".tif");
        write_picture(file, {stored, {}, {}}, {}, as(FileFormat::tiff, 8), {});
        REQUIRE(test::run("exiftool -q -overwrite_original -n -Orientation=" + std::to_string(orientation) +
                          " " + file.string())
                    .code == 0);
        CHECK(same_pixels(read_picture(file).pixels, upright.pixels));
        const PictureInfo info = read_picture_info(file);
        CHECK((info.width == 24 && info.height == 10));
    }
}

TEST_CASE("nothing is overwritten silently, and a failed write leaves no file", "[files]") {
    const test::Scratch scratch;
    const Picture picture = colourful({10, 10}, 8, false);
    WriteSettings settings = as(FileFormat::tiff, 8);
    write_picture(scratch / "a.tif", picture, {}, settings, {});
    const std::string before = test::read_all(scratch / "a.tif");
    CHECK_THROWS_WITH(write_picture(scratch / "a.tif", picture, {}, settings, {}), Catch::Contains("exists"));
    CHECK(test::read_all(scratch / "a.tif") == before);
    settings.overwrite = true;
    CHECK_NOTHROW(write_picture(scratch / "a.tif", picture, {}, settings, {}));

    std::stop_source stop;
    stop.request_stop();
    CHECK_THROWS_AS(write_picture(scratch / "b.tif", picture, {}, settings, {stop.get_token(), {}}),
                    Cancelled);
    CHECK_THROWS_AS(write_picture(scratch / "no/such/folder/c.tif", picture, {}, settings, {}), FileError);
    int files = 0;
    for (const auto& entry : std::filesystem::directory_iterator(scratch.folder()))
        files += entry.is_regular_file();
    CHECK(files == 1);
}

TEST_CASE("changing the depth of bits keeps black, white and every 8-bit value", "[files]") {
    const Picture eight = colourful({64, 9}, 8, true);
    CHECK(same_pixels(with_bits(with_bits(eight, 16), 8).pixels, eight.pixels));
    CHECK(with_bits(Picture{cv::Mat(1, 1, CV_8UC3, cv::Scalar::all(255)), {}, {}}, 16)
              .pixels.at<cv::Vec3w>(0, 0)[0] == 65535);
}

TEST_CASE("what lies between two values of 8 bits comes out as both, in their shares, grey staying grey",
          "[files]") {
    // Exact values stay; in between the mean over a field is the value, and no step is seen.
    const Picture exact = with_bits(colourful({64, 9}, 8, true), 16);
    CHECK(same_pixels(dithered_to_8(exact).pixels, with_bits(exact, 8).pixels));
    CHECK(same_pixels(dithered_to_8(exact).alpha, with_bits(exact, 8).alpha));
    for (const int part : {0, 1, 64, 128, 200, 256}) {
        const Picture flat{cv::Mat(64, 64, CV_16UC3, cv::Scalar::all(100 * 257 + part)), {}, {}};
        const Picture made = dithered_to_8(flat);
        const cv::Scalar mean = cv::mean(made.pixels);
        CHECK(mean[0] == Approx(100 + part / 257.0).margin(0.01));
        CHECK(mean[1] == mean[0]);
        double least = 0, most = 0;
        cv::minMaxLoc(made.pixels.reshape(1), &least, &most);
        CHECK(least == 100);
        CHECK(most == (part == 0 ? 100 : 101));
    }
    // A slow ramp over 8 of 8 bits: the mean of 16 columns never leaves it by a third of a step.
    Picture ramp{cv::Mat(64, 512, CV_16UC3), {}, {}};
    for (int x = 0; x < 512; ++x) ramp.pixels.col(x).setTo(cv::Scalar::all(180 * 257 + 4 * x));
    const Picture made = dithered_to_8(ramp);
    for (int x = 0; x < 512; x += 16)
        CHECK(cv::mean(made.pixels.colRange(x, x + 16))[0] ==
              Approx(cv::mean(ramp.pixels.colRange(x, x + 16))[0] / 257).margin(0.02));
}

TEST_CASE("a file always says its colours, and sRGB is read as sRGB", "[files]") {
    const test::Scratch scratch;
    for (const char* name : {"a.jpg", "a.tif", "a.png"}) {
        WriteSettings settings = as(format_of_name(name), 8);
        write_picture(scratch / name, colourful({20, 12}, 8, false), {}, settings, {});
        CHECK_THAT(test::read_all(scratch / name),
                   std::string(name) == "a.png" ? Catch::Contains("iCCP") : Catch::Contains("acsp"));
        CHECK(read_picture(scratch / name).profile == ColourProfile{});
    }
}

TEST_CASE("a preview is made of light, not of its values", "[files]") {
    // A fine board of black and white shines half as bright as white: 188 of 255 (IEC 61966-2-1), not 128.
    const test::Scratch scratch;
    Picture board{cv::Mat(400, 400, CV_8UC3), {}, {}};
    for (int y = 0; y < 400; ++y)
        for (int x = 0; x < 400; ++x)
            board.pixels.at<cv::Vec3b>(y, x) = cv::Vec3b::all((x + y) % 2 ? 255 : 0);
    write_picture(scratch / "board.png", board, {}, as(FileFormat::png, 8), {});
    const Picture preview = read_preview(scratch / "board.png", 50);
    REQUIRE(preview.pixels.size() == cv::Size(50, 50));
    CHECK(preview.bits() == 8);
    CHECK(preview.pixels.at<cv::Vec3b>(25, 25)[1] == Approx(188).margin(3));
}

TEST_CASE("a preview is small, upright and the same picture", "[files]") {
    const test::Scratch scratch;
    const test::Texture texture(8, 40, 40, 200);
    const Picture picture =
        with_bits(test::picture_from({1600, 1000}, [&](int x, int y) { return texture.at(x, y); }), 8);
    write_picture(scratch / "a.jpg", picture, {}, as(FileFormat::jpeg, 8), {});
    const Picture preview = read_preview(scratch / "a.jpg", 400);
    CHECK(preview.width() >= 400);
    CHECK(preview.width() < 1600);
    const double scale = 1600.0 / preview.width();
    const cv::Mat1f small = test::luma_of(preview);
    for (int y = 10; y < preview.height() - 10; y += 37)
        for (int x = 10; x < preview.width() - 10; x += 41)
            CHECK(small(y, x) ==
                  Approx(texture.at((x + 0.5) * scale - 0.5, (y + 0.5) * scale - 0.5)).margin(0.03));
}

TEST_CASE("a written file is never writable by others, and one that is replaced keeps its mode", "[files]") {
    const test::Scratch scratch;
    const auto others_write = [](const std::filesystem::path& file) {
        return (std::filesystem::status(file).permissions() & std::filesystem::perms::others_write) !=
               std::filesystem::perms::none;
    };
    // The process's umask is everybody's: it is neither asked nor changed while other threads make files.
    const mode_t before = umask(0);
    write_text_file(scratch / "heath.json", "{}", false);
    CHECK(umask(0077) == 0);
    CHECK_FALSE(others_write(scratch / "heath.json"));
    std::atomic<bool> stop = false;
    bool seen = false;
    std::thread writer([&] {
        for (int i = 0; !stop; ++i) write_text_file(scratch / ("w" + std::to_string(i % 4)), "x", true);
    });
    for (int i = 0; i < 400; ++i) {
        std::ofstream(scratch / ("o" + std::to_string(i))) << "x";
        seen = seen || others_write(scratch / ("o" + std::to_string(i)));
    }
    stop = true;
    writer.join();
    umask(before);
    CHECK_FALSE(seen);
    std::filesystem::permissions(scratch / "heath.json", std::filesystem::perms(0600));
    write_text_file(scratch / "heath.json", "{} ", true);
    CHECK(std::filesystem::status(scratch / "heath.json").permissions() == std::filesystem::perms(0600));
}

TEST_CASE("what a killed program left half written goes, what another writes stays", "[files]") {
    const test::Scratch scratch;
    const auto age = [](const std::filesystem::path& file) {
        std::filesystem::last_write_time(
            file, std::filesystem::file_time_type::clock::now() - std::chrono::hours(1));
    };
    const auto left = scratch / ".moorhaze-a1B2c3.tif", in_work = scratch / ".moorhaze-d4E5f6.tif",
               young = scratch / ".moorhaze-g7H8i9.tif", own = scratch / ".moorhaze-notes.txt.tif",
               parts = scratch / ".moorhaze-k0L1m2.ora.parts";
    for (const auto& file : {left, in_work, young, own}) test::write_all(file, "half");
    std::filesystem::create_directories(parts / "deeper");
    for (const auto& file : {left, in_work, own, parts}) age(file);
    const int held = open(in_work.c_str(), O_RDONLY | O_CLOEXEC);
    REQUIRE(flock(held, LOCK_EX) == 0);
    write_text_file(scratch / "a.txt", "whole", false);
    CHECK_FALSE(std::filesystem::exists(left));
    CHECK_FALSE(std::filesystem::exists(parts));
    CHECK(std::filesystem::exists(in_work));
    CHECK(std::filesystem::exists(young));
    CHECK(std::filesystem::exists(own));
    CHECK(test::read_all(scratch / "a.txt") == "whole");
    close(held);
}

TEST_CASE("decoding stops when it is asked to", "[files]") {
    const test::Scratch scratch;
    const Picture picture = test::colourful({64, 48}, 8, false);
    std::stop_source stop;
    stop.request_stop();
    for (const auto& [name, format] : std::initializer_list<std::pair<const char*, FileFormat>>{
             {"f.jpg", FileFormat::jpeg}, {"f.tif", FileFormat::tiff}, {"f.png", FileFormat::png}}) {
        WriteSettings write;
        write.format = format;
        write.bits = 8;
        write_picture(scratch / name, picture, {}, write, {});
        CHECK_THROWS_AS(read_picture(scratch / name, {}, {stop.get_token(), {}}), Cancelled);
        CHECK(read_picture(scratch / name).width() == 64);
    }
}
