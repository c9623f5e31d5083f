// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/series/frame_cache.h"

#include <catch2/catch.hpp>
#include <thread>

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
    FrameCache cache(1 << 20);
    CHECK(cache.get(file) == cache.get(file));
    CHECK(cache.bytes() == 15000);
}

TEST_CASE("the budget drops the frame that was used longest ago", "[series]") {
    const test::Scratch scratch;
    const auto a = some_file(scratch, "a.tif"), b = some_file(scratch, "b.tif"),
               c = some_file(scratch, "c.tif");
    FrameCache cache(2 * 15000);
    const auto first = cache.get(a);
    const auto second = cache.get(b);
    CHECK(cache.get(a) == first);
    cache.get(c);
    CHECK(cache.bytes() == 30000);
    CHECK(cache.get(a) == first);
    CHECK(cache.get(b) != second);
}

TEST_CASE("a frame larger than the budget is still handed out", "[series]") {
    const test::Scratch scratch;
    const auto file = some_file(scratch, "a.tif");
    FrameCache cache(10);
    CHECK(cache.get(file)->width() == 100);
    CHECK(cache.get(file) == cache.get(file));
}

TEST_CASE("a failure is reported and not kept", "[series]") {
    const test::Scratch scratch;
    FrameCache cache(1 << 20);
    CHECK_THROWS_AS(cache.get(scratch / "later.tif"), FileError);
    const auto file = some_file(scratch, "later.tif");
    CHECK(cache.get(file)->height() == 50);
}

TEST_CASE("two threads that want one frame get the same picture", "[series]") {
    const test::Scratch scratch;
    const auto file = some_file(scratch, "a.tif");
    for (int round = 0; round < 20; ++round) {
        FrameCache cache(1 << 20);
        std::shared_ptr<const Picture> one, other;
        {
            const std::jthread first([&] { one = cache.get(file); }),
                second([&] { other = cache.get(file); });
        }
        REQUIRE(one == other);
    }
}
