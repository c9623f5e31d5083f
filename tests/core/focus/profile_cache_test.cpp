// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/focus/profile_cache.h"

#include <catch2/catch.hpp>
#include <set>

#include "core/focus/profile_frames.h"
#include "core/work/for_rows.h"
#include "tests/support/measures.h"
#include "tests/support/series_files.h"

using namespace moorhaze;

namespace {

std::string key_of(const Frame& frame) {
    return ProfileCache::key_of(content_key_of(frame.path, {}), frame.development);
}

bool same(const cv::Mat& one, const cv::Mat& other) {
    return one.size() == other.size() && one.type() == other.type() &&
           cv::norm(one, other, cv::NORM_INF) == 0;
}

bool same(const FocusProfile& one, const FocusProfile& other) {
    return same(one.sharpness, other.sharpness) && same(one.directed, other.directed) &&
           same(one.light, other.light) && same(one.view, other.view) && one.brightness == other.brightness &&
           one.red == other.red && one.clipped == other.clipped && one.lag_px == other.lag_px &&
           one.colours == other.colours;
}

struct Files {
    test::Scratch scratch;
    Series series = test::write_series(scratch, test::strip_series({320, 120}, 5));
};

}  // namespace

TEST_CASE("what was seen of a frame comes back the same, also when its file was moved", "[cache]") {
    const Files files;
    const ProfileCache cache(files.scratch / "cache");
    const auto first = profile_frames(files.series, &cache, nullptr, {}, {});
    CHECK(first.problems.empty());
    Series moved = files.series;
    for (Frame& frame : moved.frames) {
        const auto to = frame.path.parent_path() / ("moved-" + frame.path.filename().string());
        std::filesystem::rename(frame.path, to);
        frame.path = to;
    }
    int looks = 0;
    std::set<std::string> keys;
    for (const Frame& frame : moved.frames) {
        const std::string key = key_of(frame);
        keys.insert(key);
        const auto kept = cache.find(key);
        REQUIRE(kept);
        CHECK(kept->preview.size() == cv::Size(320, 120));
        ++looks;
    }
    CHECK(keys.size() == 5);
    const auto second = profile_frames(moved, &cache, nullptr, {}, {});
    for (std::size_t i = 0; i < 5; ++i) CHECK(same(first.profiles[i], second.profiles[i]));
}

TEST_CASE("another content or another development is another frame", "[cache]") {
    const Files files;
    Frame frame = files.series.frames[0];
    const std::string key = key_of(frame);
    frame.development.exposure_ev = 0.5;
    CHECK(key_of(frame) != key);
    frame.development = {};
    CHECK(key_of(frame) == key);
    std::string bytes = test::read_all(frame.path);
    bytes[bytes.size() / 2] = char(bytes[bytes.size() / 2] ^ 1);
    test::write_all(frame.path, bytes);
    CHECK(key_of(frame) != key);
    frame.path = files.scratch / "missing.tif";
    CHECK_THROWS_AS(key_of(frame), FileError);
}

TEST_CASE("damaged and foreign files in the cache are as if they were not there", "[cache]") {
    const Files files;
    const ProfileCache cache(files.scratch / "cache");
    profile_frames(files.series, &cache, nullptr, {}, {});
    const std::string key = key_of(files.series.frames[2]);
    const auto file = files.scratch / "cache" / (key + ".profile");
    const std::string bytes = test::read_all(file);
    for (const std::size_t length :
         {std::size_t(0), std::size_t(7), std::size_t(12), bytes.size() / 2, bytes.size() - 1}) {
        test::write_all(file, bytes.substr(0, length));
        CHECK_FALSE(cache.find(key));
    }
    std::string other_version = bytes;
    other_version[8] = 99;
    test::write_all(file, other_version);
    CHECK_FALSE(cache.find(key));
    CHECK_FALSE(cache.find("nothing"));
    // It is looked at again, and the cache is mended.
    CHECK(profile_frames(files.series, &cache, nullptr, {}, {}).problems.empty());
    CHECK(cache.find(key));
}

TEST_CASE("a cache keeps to its size, and one that cannot be written stops nothing", "[cache]") {
    const Files files;
    const ProfileCache cache(files.scratch / "cache");
    profile_frames(files.series, &cache, nullptr, {}, {});
    std::uintmax_t bytes = 0;
    for (const auto& entry : std::filesystem::directory_iterator(cache.folder())) bytes += entry.file_size();
    cache.prune(bytes / 2);
    std::uintmax_t left = 0;
    for (const auto& entry : std::filesystem::directory_iterator(cache.folder())) left += entry.file_size();
    CHECK(left <= bytes / 2);
    CHECK(left > 0);
    test::write_all(files.scratch / "file", "x");
    const ProfileCache nowhere(files.scratch / "file" / "inside");
    CHECK(profile_frames(files.series, &nowhere, nullptr, {}, {}).problems.empty());
}

TEST_CASE("profiles are the same for any number of threads, and each frame is reported once", "[cache]") {
    const Files files;
    std::vector<std::atomic<int>> told(5);
    const auto many = profile_frames(files.series, nullptr, nullptr,
                                     [&](int frame, const FrameLook& look) {
                                         ++told[std::size_t(frame)];
                                         if (look.preview.empty()) ++told[std::size_t(frame)];
                                     },
                                     {});
    for (const auto& count : told) CHECK(count == 1);
    const ThreadLimit one(1);
    const auto single = profile_frames(files.series, nullptr, nullptr, {}, {});
    for (std::size_t i = 0; i < 5; ++i) CHECK(same(many.profiles[i], single.profiles[i]));
}

TEST_CASE("an unreadable frame is a problem of its own, and a stop ends the profiling", "[cache]") {
    Files files;
    test::write_all(files.series.frames[3].path, "II*");
    const auto result = profile_frames(files.series, nullptr, nullptr, {}, {});
    REQUIRE(result.problems.size() == 1);
    CHECK(result.problems[0].frame_index == 3);
    CHECK(result.profiles[3].sharpness.empty());
    CHECK_FALSE(result.profiles[4].sharpness.empty());
    std::stop_source stop;
    stop.request_stop();
    CHECK_THROWS_AS(profile_frames(files.series, nullptr, nullptr, {}, Job{stop.get_token(), {}}), Cancelled);
}
