// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/series/frame_shelf.h"

#include <atomic>
#include <catch2/catch.hpp>
#include <thread>

#include "core/work/for_rows.h"
#include "tests/support/scratch.h"
#include "tests/support/textured.h"

using namespace moorhaze;

namespace {

std::filesystem::path some_file(const test::Scratch& scratch, const std::string& name) {
    write_picture(scratch / name, test::colourful({100, 50}, 8, false), {},
                  {FileFormat::tiff, 8, 95, true, {}}, {});
    return scratch / name;
}

}  // namespace

TEST_CASE("a frame is decoded once while it is kept", "[series]") {
    const test::Scratch scratch;
    const auto file = some_file(scratch, "a.tif");
    FrameShelf shelf(1 << 20);
    CHECK(shelf.whole(file) == shelf.whole(file));
    CHECK(shelf.bytes() == 15000);
}

TEST_CASE("the budget drops the frame that was used longest ago", "[series]") {
    const test::Scratch scratch;
    const auto a = some_file(scratch, "a.tif"), b = some_file(scratch, "b.tif"),
               c = some_file(scratch, "c.tif");
    FrameShelf shelf(2 * 15000);
    const auto first = shelf.whole(a);
    const auto second = shelf.whole(b);
    CHECK(shelf.whole(a) == first);
    shelf.whole(c);
    CHECK(shelf.bytes() == 30000);
    CHECK(shelf.whole(a) == first);
    CHECK(shelf.whole(b) != second);
}

TEST_CASE("of frames gone through again and again the first that fit stay", "[series]") {
    const test::Scratch scratch;
    std::vector<std::filesystem::path> files;
    for (const char* name : {"a.tif", "b.tif", "c.tif", "d.tif"}) files.push_back(some_file(scratch, name));
    FrameShelf shelf(2 * 15000);
    const auto pass = [&] {
        std::vector<std::shared_ptr<const Picture>> all;
        for (const auto& file : files) all.push_back(shelf.whole(file, {}, FrameShelf::Use::passed_through));
        return all;
    };
    const auto first = pass(), second = pass();
    CHECK(shelf.bytes() == 30000);
    for (int i = 0; i < 4; ++i) CHECK((first[std::size_t(i)] == second[std::size_t(i)]) == (i < 2));
    // What is looked at comes before what was gone through.
    const auto seen = shelf.whole(files[3]);
    CHECK(shelf.whole(files[3]) == seen);
    CHECK(shelf.bytes() == 30000);
}

TEST_CASE("small frames and whole ones lie beside each other, and the small ones go first", "[series]") {
    const test::Scratch scratch;
    const auto file = some_file(scratch, "a.tif");
    FrameShelf shelf(1 << 20);
    const auto small = small_frame(&shelf, file, 50, {}), whole = whole_frame(&shelf, file, {});
    CHECK(small->width() == 50);
    CHECK(whole->width() == 100);
    CHECK(small_frame(&shelf, file, 50, {}) == small);
    CHECK(cv::norm(small->pixels, read_preview(file, 50).pixels, cv::NORM_INF) == 0);
    shelf.drop_small();
    CHECK(shelf.bytes() == 15000);
    CHECK(whole_frame(&shelf, file, {}) == whole);
}

TEST_CASE("a frame larger than the budget is still handed out", "[series]") {
    const test::Scratch scratch;
    const auto file = some_file(scratch, "a.tif");
    FrameShelf shelf(10);
    CHECK(shelf.whole(file)->width() == 100);
    CHECK(shelf.whole(file) == shelf.whole(file));
}

TEST_CASE("a failure is reported and not kept", "[series]") {
    const test::Scratch scratch;
    FrameShelf shelf(1 << 20);
    CHECK_THROWS_AS(shelf.whole(scratch / "later.tif"), FileError);
    const auto file = some_file(scratch, "later.tif");
    CHECK(shelf.whole(file)->height() == 50);
}

TEST_CASE("two threads that want one frame get the same picture", "[series]") {
    const test::Scratch scratch;
    const auto file = some_file(scratch, "a.tif");
    for (int round = 0; round < 20; ++round) {
        FrameShelf shelf(1 << 20);
        std::shared_ptr<const Picture> one, other;
        {
            const std::jthread first([&] { one = shelf.whole(file); }),
                second([&] { other = shelf.whole(file); });
        }
        REQUIRE(one == other);
    }
}

TEST_CASE("work that goes through the same frames in different order never waits for each other for ever",
          "[series]") {
    const test::Scratch scratch;
    std::vector<std::filesystem::path> files;
    for (int i = 0; i < 6; ++i) {
        files.push_back(scratch / (std::to_string(i) + ".tif"));
        write_picture(files.back(), test::colourful({300, 200}, 8, false), {},
                      {FileFormat::tiff, 8, 95, true, {}}, {});
    }
    for (int round = 0; round < 15; ++round) {
        FrameShelf shelf(1 << 20);  // five of six have room
        std::atomic<int> wrong = 0;
        const auto go = [&](bool backwards) {
            for_rows(6, {}, [&](int i) {
                const auto& file = files[std::size_t(backwards ? 5 - i : i)];
                // Made small in parallel, where a waiting thread may take up the next frame.
                if (small_frame(&shelf, file, 130, {})->width() != 130) ++wrong;
                if (whole_frame(&shelf, file, {})->width() != 300) ++wrong;
            });
        };
        {
            const std::jthread one([&] { go(false); }), other([&] { go(true); });
        }
        REQUIRE(wrong == 0);
    }
}
