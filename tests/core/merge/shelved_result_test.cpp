// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/shelved_result.h"

#include <catch2/catch.hpp>

#include "tests/support/scratch.h"
#include "tests/support/textured.h"

using namespace moorhaze;

namespace {

MergeResult some_result() {
    MergeResult result;
    result.picture = test::colourful({61, 43}, 16, false);
    result.source = cv::Mat1w(43, 61);
    result.made_by = cv::Mat1b(43, 61);
    result.depth = cv::Mat1f(43, 61);
    cv::randu(result.source, 0, 24);
    cv::randu(result.made_by, 0, 5);
    cv::randu(result.depth, 1, 24);
    result.area = {3, 4, 61, 43};
    result.method = "pyramid";
    return result;
}

}  // namespace

TEST_CASE("a result on the shelf is the result, before and after it rested", "[merge][shelf]") {
    const test::Scratch scratch;
    const MergeResult result = some_result();
    const ShelvedResult shelved = shelve(result, scratch.folder());
    REQUIRE(shelved.file);
    for (int round = 0; round < 2; ++round) {
        const MergeResult& own = *shelved.result;
        CHECK(own.area == result.area);
        CHECK(own.method == "pyramid");
        CHECK(own.trust.empty());
        CHECK(cv::norm(own.picture.pixels, result.picture.pixels, cv::NORM_INF) == 0);
        CHECK(cv::norm(own.source, result.source, cv::NORM_INF) == 0);
        CHECK(cv::norm(own.made_by, result.made_by, cv::NORM_INF) == 0);
        CHECK(cv::norm(own.depth, result.depth, cv::NORM_INF) == 0);
        shelved.rest();
    }
    // Nothing of it is seen in the folder.
    CHECK(std::filesystem::is_empty(scratch.folder()));
}

TEST_CASE("the planes live as long as the result, also when the shelf is gone", "[merge][shelf]") {
    const test::Scratch scratch;
    std::shared_ptr<const MergeResult> kept;
    {
        const ShelvedResult shelved = shelve(some_result(), scratch.folder());
        kept = shelved.result;
    }
    CHECK(kept->depth(0, 0) >= 1);
    CHECK(kept->depth(42, 60) < 24);
}

TEST_CASE("a picture that was taken from a result outlives result and shelf, and its bytes go with it",
          "[merge][shelf]") {
    const test::Scratch scratch;
    const std::size_t before = scratch_bytes_in_use();
    const MergeResult result = some_result();
    Picture taken;
    cv::Mat part;
    {
        const ShelvedResult shelved = shelve(result, scratch.folder());
        taken = shelved.result->picture;
        part = shelved.result->picture.pixels(cv::Rect(10, 5, 20, 30));
    }
    CHECK(scratch_bytes_in_use() > before);
    CHECK(cv::norm(taken.pixels, result.picture.pixels, cv::NORM_INF) == 0);
    taken = {};
    CHECK(cv::norm(part, result.picture.pixels(cv::Rect(10, 5, 20, 30)), cv::NORM_INF) == 0);
    part.release();
    CHECK(scratch_bytes_in_use() == before);
}

TEST_CASE("where no scratch file can be made the result stays in memory", "[merge][shelf]") {
    const ShelvedResult shelved = shelve(some_result(), "/no/such/folder");
    CHECK_FALSE(shelved.file);
    CHECK(shelved.result->depth.size() == cv::Size(61, 43));
    CHECK_THROWS_AS(ScratchFile({cv::Mat1b(4, 4)}, "/no/such/folder"), FileError);
    const test::Scratch scratch;
    CHECK(ScratchFile({}, scratch.folder()).bytes() == 0);
}

TEST_CASE("the room that scratch files take is known while they live", "[merge][shelf]") {
    const test::Scratch scratch;
    const std::size_t before = scratch_bytes_in_use();
    {
        const ScratchFile file({cv::Mat1f(300, 400, 1.0f), cv::Mat1b(10, 10)}, scratch.folder());
        CHECK(file.bytes() >= 480100);
        CHECK(scratch_bytes_in_use() == before + file.bytes());
    }
    CHECK(scratch_bytes_in_use() == before);
}
