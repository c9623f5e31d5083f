// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/work/decode_budget.h"

#include <atomic>
#include <catch2/catch.hpp>
#include <thread>

#include "core/files/picture_file.h"
#include "core/work/errors.h"
#include "core/work/for_rows.h"
#include "tests/support/scratch.h"
#include "tests/support/textured.h"

using namespace moorhaze;

TEST_CASE("decoders together never hold more than the budget, but for one that is larger alone",
          "[work][budget]") {
    DecodeBudget budget(100, 1000);
    std::atomic<int> together = 0, most = 0;
    std::vector<std::jthread> threads;
    for (int i = 0; i < 6; ++i)
        threads.emplace_back([&] {
            for (int k = 0; k < 40; ++k) {
                const DecodeBudget::Share share(budget, 40, {});
                const int now = ++together;
                for (int seen = most; now > seen && !most.compare_exchange_weak(seen, now);) {
                }
                std::this_thread::yield();
                --together;
            }
        });
    threads.clear();
    CHECK(most <= 2);
    CHECK(budget.in_use() == 0);

    // Larger than the budget: alone. Larger than the machine has: refused, and nothing is held.
    {
        const DecodeBudget::Share large(budget, 500, {});
        CHECK(budget.in_use() == 500);
        // Within it, in the same thread, another does not wait for itself.
        const DecodeBudget::Share within(budget, 90, {});
        CHECK(budget.in_use() == 590);
    }
    CHECK_THROWS_AS(DecodeBudget::Share(budget, 1001, {}), DecodeBudget::TooLarge);
    CHECK(budget.in_use() == 0);
}

TEST_CASE("waiting for memory ends when it is asked to, and when there is more", "[work][budget]") {
    DecodeBudget budget(100, 100);
    const DecodeBudget::Share first(budget, 80, {});
    std::stop_source stop;
    std::atomic<bool> was_cancelled = false, has_it = false;
    {
        std::jthread other([&] {
            try {
                const DecodeBudget::Share second(budget, 80, {stop.get_token(), {}});
            } catch (const Cancelled&) {
                was_cancelled = true;
            }
        });
        stop.request_stop();
    }
    CHECK(was_cancelled);
    {
        std::jthread other([&] {
            const DecodeBudget::Share second(budget, 80, {});
            has_it = true;
        });
        budget.set_bytes(160);
    }
    CHECK(has_it);
}

TEST_CASE("a header that promises more than the machine has is refused before memory is taken",
          "[files][budget]") {
    const test::Scratch scratch;
    write_picture(scratch / "a.tif", test::colourful({64, 40}, 8, false), {}, {FileFormat::tiff, 8, 95, false, {}}, {});
    std::string bytes = test::read_all(scratch / "a.tif");
    // TIFF 6.0: entries of 12 bytes; ImageWidth (256), ImageLength (257), SamplesPerPixel (277) are said
    // anew. 22,000 x 22,000 pixels: within what is opened, 2.9 GB at three samples, and 64 bytes of them are
    // there.
    const auto set = [&](int tag, std::uint32_t value) {
        const char key[] = {char(tag & 255), char(tag >> 8)};
        for (std::size_t at = 8; at + 12 <= bytes.size(); ++at)
            if (bytes.compare(at, 2, key, 2) == 0 && (bytes[at + 2] == 3 || bytes[at + 2] == 4) &&
                bytes[at + 4] == 1) {
                bytes[at + 2] = 4;  // LONG
                for (std::size_t k = 0; k < 4; ++k) bytes[at + 8 + k] = char(value >> (8 * k));
                return;
            }
        FAIL("no such tag");
    };
    set(256, 22'000);
    set(257, 22'000);
    test::write_all(scratch / "bomb.tif", bytes);
    DecodeBudget& own = decode_budget();
    const std::size_t before = own.bytes();
    own.set_bytes(std::size_t(1) << 20);
    // Alone it may be tried, and the file ends at once; no set of frames ends with it.
    CHECK_THROWS_AS(read_picture(scratch / "bomb.tif"), FileError);
    CHECK(own.in_use() == 0);
    // With little memory all frames of a series are still read, by all threads at once.
    std::atomic<int> read = 0;
    for_rows(16, {}, [&](int) { read += read_picture(scratch / "a.tif").width() == 64; });
    CHECK(read == 16);
    own.set_bytes(before);
}
