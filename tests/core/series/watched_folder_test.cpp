// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/series/watched_folder.h"

#include <catch2/catch.hpp>

#include "core/files/picture_file.h"
#include "core/work/errors.h"
#include "tests/support/scratch.h"

using namespace moorhaze;

namespace {

std::string bytes_of(const test::Scratch& scratch, FileFormat format, const char* name) {
    Picture picture;
    picture.pixels = cv::Mat3b(40, 60, cv::Vec3b(90, 140, 60));
    cv::randu(picture.pixels, 0, 255);
    WriteSettings write;
    write.format = format;
    write.bits = 8;
    write_picture(scratch / name, picture, {}, write, {});
    const std::string bytes = test::read_all(scratch / name);
    std::filesystem::remove(scratch / name);
    return bytes;
}

}  // namespace

TEST_CASE("a file joins only when it is completely written", "[watched]") {
    const test::Scratch scratch;
    std::filesystem::create_directories(scratch / "in");
    for (const auto& [format, name] :
         {std::pair{FileFormat::jpeg, "a.jpg"}, {FileFormat::png, "b.png"}, {FileFormat::tiff, "c.tif"}}) {
        const std::string whole = bytes_of(scratch, format, name);
        WatchedFolder folder(scratch / "in");
        INFO(name);
        // It grows; then it stalls with its end missing; then the rest comes.
        for (const double part : {0.3, 0.6, 0.9, 0.9, 0.9}) {
            test::write_all(scratch / "in" / name, whole.substr(0, std::size_t(double(whole.size()) * part)));
            CHECK(folder.look().empty());
        }
        test::write_all(scratch / "in" / name, whole);
        CHECK(folder.look().empty());  // it has just grown
        CHECK(folder.look() == std::vector<std::filesystem::path>{scratch / "in" / name});
        CHECK(folder.look().empty());  // only once
    }
}

TEST_CASE("what lies there already, foreign and hidden files are no new frames, names sort naturally",
          "[watched]") {
    const test::Scratch scratch;
    std::filesystem::create_directories(scratch / "in");
    const std::string whole = bytes_of(scratch, FileFormat::jpeg, "x.jpg");
    test::write_all(scratch / "in/old.jpg", whole);
    WatchedFolder folder(scratch / "in");
    for (const char* name : {"f10.jpg", "f9.jpg", "f11.JPG", ".hidden.jpg", "notes.txt"})
        test::write_all(scratch / "in" / name, whole);
    folder.look();
    const auto found = folder.look();
    REQUIRE(found.size() == 3);
    CHECK(found[0].filename() == "f9.jpg");
    CHECK(found[1].filename() == "f10.jpg");
    CHECK(found[2].filename() == "f11.JPG");
}

TEST_CASE("a folder that is not there or goes away is named", "[watched]") {
    const test::Scratch scratch;
    CHECK_THROWS_WITH(WatchedFolder(scratch / "none"), Catch::Contains("none"));
    std::filesystem::create_directories(scratch / "in");
    WatchedFolder folder(scratch / "in");
    std::filesystem::remove(scratch / "in");
    CHECK_THROWS_AS(folder.look(), FileError);
}

TEST_CASE("a preview's own end does not make a cut-off JPEG whole", "[watched]") {
    const test::Scratch scratch;
    const std::string whole = bytes_of(scratch, FileFormat::jpeg, "x.jpg");
    // A comment near the beginning that holds an end marker, as an embedded preview does.
    const std::string with_preview =
        whole.substr(0, 2) + std::string("\xFF\xFE\x00\x04\xFF\xD9", 6) + whole.substr(2);
    test::write_all(scratch / "whole.jpg", with_preview);
    CHECK(is_complete_picture(scratch / "whole.jpg"));
    test::write_all(scratch / "cut.jpg", with_preview.substr(0, with_preview.size() * 7 / 10));
    CHECK_FALSE(is_complete_picture(scratch / "cut.jpg"));
}
