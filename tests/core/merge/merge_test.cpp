// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/merge.h"

#include <catch2/catch.hpp>

#include "core/merge/frame_source.h"
#include "core/work/for_rows.h"
#include "tests/support/measures.h"
#include "tests/support/series_files.h"
#include "tests/support/textured.h"

using namespace moorhaze;

namespace {

const cv::Size kMergedSize(420, 180);

MergeResult merged(const Series& series, const std::string& method, const std::vector<int>& frames,
                   const Job& job = {}) {
    const SeriesGeometry geometry = unmoved(series, 0);
    AlignedFrames aligned(series, geometry, frames, {{}, series.size()});
    return merge_method(method).merge(aligned, {}, {}, job);
}

std::vector<int> all_of(const Series& series) {
    std::vector<int> frames;
    for (int i = 0; i < series.count(); ++i) frames.push_back(i);
    return frames;
}

}  // namespace

TEST_CASE("every method gets close to the true picture of a strip series", "[merge]") {
    const test::Scratch scratch;
    const Series series = test::write_series(scratch, test::strip_series(kMergedSize, 7));
    const cv::Mat1f truth = test::luma_of(test::strip_truth(kMergedSize));
    double best_single = 0;
    for (const Frame& frame : series.frames)
        best_single = std::max(best_single, test::psnr_db(test::luma_of(read_picture(frame.path)), truth));
    for (const MergeMethod& method : merge_methods()) {
        const MergeResult result = merged(series, method.name, all_of(series));
        INFO(method.name);
        // The plain weighing of all frames gains least.
        CHECK(test::psnr_db(test::luma_of(result.picture), truth) >
              best_single + (method.name == "blend" ? 4 : 8));
        CHECK(result.picture.alpha.empty());
        CHECK(result.picture.bits() == 16);
        CHECK(result.method == method.name);
    }
}

TEST_CASE("provenance and depth name the strip's frame", "[merge]") {
    const test::Scratch scratch;
    const Series series = test::write_series(scratch, test::strip_series(kMergedSize, 7));
    for (const char* method : {"depth", "woven"}) {
        INFO(method);
        const MergeResult result = merged(series, method, all_of(series));
        int near_truth = 0, source_near = 0, count = 0;
        for (int y = 20; y < kMergedSize.height - 20; y += 3)
            for (int x = 20; x < kMergedSize.width - 20; x += 3, ++count) {
                const double strip = std::clamp(double(x) / kMergedSize.width * 7 - 0.5, 0.0, 6.0) + 1;
                near_truth += std::abs(result.depth(y, x) - strip) < 0.5;
                source_near += std::abs(result.source(y, x) - strip) < 1.01;
            }
        CHECK(near_truth > 0.95 * count);
        CHECK(source_near > 0.97 * count);
    }
}

TEST_CASE("a merge of some frames names them by their number in the series", "[merge]") {
    const test::Scratch scratch;
    const Series series = test::write_series(scratch, test::strip_series(kMergedSize, 7));
    for (const MergeMethod& method : merge_methods()) {
        const MergeResult result = merged(series, method.name, {2, 3, 5});
        for (const ushort source : result.source) REQUIRE((source == 3 || source == 4 || source == 6));
        double low = 0, high = 0;
        cv::minMaxLoc(result.depth, &low, &high);
        CHECK((low >= 3 && high <= 6));
    }
}

TEST_CASE("any number of threads gives the same merge", "[merge]") {
    const test::Scratch scratch;
    const Series series = test::write_series(scratch, test::strip_series({231, 117}, 5));
    for (const MergeMethod& method : merge_methods()) {
        const MergeResult many = merged(series, method.name, all_of(series));
        const ThreadLimit one(1);
        const MergeResult single = merged(series, method.name, all_of(series));
        INFO(method.name);
        CHECK(cv::norm(many.picture.pixels, single.picture.pixels, cv::NORM_INF) == 0);
        CHECK(cv::norm(many.source, single.source, cv::NORM_INF) == 0);
        CHECK(cv::norm(many.depth, single.depth, cv::NORM_INF) == 0);
    }
}

TEST_CASE("one frame merges into itself", "[merge]") {
    const test::Scratch scratch;
    const Series series = test::write_series(scratch, test::strip_series({160, 100}, 1));
    for (const MergeMethod& method : merge_methods()) {
        const MergeResult result = merged(series, method.name, {0});
        INFO(method.name);
        CHECK(test::psnr_db(test::luma_of(result.picture),
                            test::luma_of(read_picture(series.frames[0].path))) > 60);
    }
}

TEST_CASE("a frame that cannot be read is reported and the merge goes on", "[merge]") {
    const test::Scratch scratch;
    const Series series = test::write_series(scratch, test::strip_series({160, 100}, 4));
    test::write_all(series.frames[2].path, "damaged meanwhile");
    for (const MergeMethod& method : merge_methods()) {
        const MergeResult result = merged(series, method.name, all_of(series));
        INFO(method.name);
        REQUIRE_FALSE(result.problems.empty());
        CHECK(result.problems[0].frame_index == 2);
        CHECK_THAT(result.problems[0].what, Catch::Contains("frame-03.tif"));
        for (const ushort source : result.source) REQUIRE(source != 3);
    }
}

TEST_CASE("places that no frame covers are transparent and named by 0", "[merge]") {
    const test::Scratch scratch;
    const Series series = test::write_series(scratch, test::strip_series({160, 100}, 3));
    SeriesGeometry geometry = unmoved(series, 1);
    for (FrameGeometry& frame : geometry.frames) frame.matrix(0, 2) = 20;
    for (const MergeMethod& method : merge_methods()) {
        AlignedFrames frames(series, geometry, {0, 1, 2}, {0, 0, 160, 100});
        const MergeResult result = method.merge(frames, {}, {}, {});
        INFO(method.name);
        REQUIRE_FALSE(result.picture.alpha.empty());
        CHECK(result.picture.alpha.at<ushort>(50, 10) == 0);
        CHECK(result.picture.alpha.at<ushort>(50, 60) == 65535);
        CHECK(result.source(50, 10) == 0);
        CHECK(result.source(50, 60) > 0);
    }
}

TEST_CASE("what the frames of its depth leave out comes from one that has it: nothing is transparent",
          "[merge]") {
    const test::Scratch scratch;
    const Series series = test::write_series(scratch, test::strip_series({160, 100}, 4));
    SeriesGeometry geometry = unmoved(series, 3);
    // The strip at the left belongs to the first frame, which lies farther right, as the second does.
    for (int frame : {0, 1}) geometry.frames[std::size_t(frame)].matrix(0, 2) = 25;
    for (const MergeMethod& method : merge_methods()) {
        AlignedFrames frames(series, geometry, {0, 1, 2, 3}, {0, 0, 160, 100});
        const MergeResult result = method.merge(frames, {}, {}, {});
        INFO(method.name);
        CHECK(result.picture.alpha.empty());
        CHECK(cv::countNonZero(result.source) == 160 * 100);
        CHECK(result.source(50, 5) > 2);
    }
}

TEST_CASE("a stop request ends a merge", "[merge]") {
    const test::Scratch scratch;
    const Series series = test::write_series(scratch, test::strip_series({160, 100}, 3));
    std::stop_source stop;
    stop.request_stop();
    for (const MergeMethod& method : merge_methods())
        CHECK_THROWS_AS(merged(series, method.name, all_of(series), {stop.get_token(), {}}), Cancelled);
}

TEST_CASE("below the trust floor the depth comes from around", "[merge]") {
    const test::Scratch scratch;
    auto pictures = test::strip_series(kMergedSize, 7);
    // A smooth patch in the middle strip: no frame has anything sharp there.
    for (Picture& picture : pictures)
        cv::Mat(picture.pixels(cv::Rect(190, 60, 40, 60))).setTo(cv::Scalar::all(33000));
    const Series series = test::write_series(scratch, pictures);
    for (const char* method : {"depth", "woven"}) {
        INFO(method);
        const MergeResult result = merged(series, method, all_of(series));
        for (int y = 75; y < 105; y += 5)
            for (int x = 203; x < 217; x += 4) {
                CHECK(result.depth(y, x) == Approx(double(x) / kMergedSize.width * 7 + 0.5).margin(1.0));
                CHECK(result.trust(y, x) < MergeSettings{}.trust_floor);
            }
        CHECK(result.trust(20, 210) > MergeSettings{}.trust_floor);
    }
}

TEST_CASE("the backdrop comes from the frame that is chosen for it, the subject does not", "[merge]") {
    const test::Scratch scratch;
    auto pictures = test::strip_series(kMergedSize, 7);
    // What is never sharp at the right has another grey in each frame.
    for (std::size_t i = 0; i < pictures.size(); ++i)
        cv::Mat(pictures[i].pixels(cv::Rect(250, 0, kMergedSize.width - 250, kMergedSize.height)))
            .setTo(cv::Scalar::all(20000 + 4000.0 * double(i)));
    const Series series = test::write_series(scratch, pictures);
    const SeriesGeometry geometry = unmoved(series, 0);
    for (const char* method : {"depth", "woven"}) {
        INFO(method);
        MergeSettings settings;
        settings.backdrop_frame = 3;
        AlignedFrames frames(series, geometry, all_of(series), {{}, series.size()});
        const MergeResult result = merge_method(method).merge(frames, settings, {}, {});
        const auto middle = result.picture.pixels.at<cv::Vec3w>(kMergedSize.height / 2, 345);
        CHECK(middle[1] == Approx(28000).margin(300));
        CHECK(MadeBy(result.made_by(kMergedSize.height / 2, 345)) == MadeBy::backdrop);
        CHECK(MadeBy(result.made_by(kMergedSize.height / 2, 60)) == MadeBy::depth_map);
        CHECK(std::abs(result.depth(kMergedSize.height / 2, 60) - (60.0 / kMergedSize.width * 7 + 0.5)) < 1);
        settings.backdrop_frame = 9;
        AlignedFrames again(series, geometry, all_of(series), {{}, series.size()});
        // Refused before minutes of reading.
        double reached = 0;
        const Job job{{}, [&](double fraction) { reached = fraction; }};
        CHECK_THROWS_WITH(merge_method(method).merge(again, settings, {}, job), Catch::Contains("frame 9"));
        CHECK(reached == 0);
    }
}

TEST_CASE("impossible settings are refused in words", "[merge]") {
    MergeSettings settings;
    settings.detail_size_px = 0;
    CHECK_THROWS_WITH(check(settings), Catch::Contains("detail size"));
    CHECK_THROWS_WITH(merge_method("magic"), Catch::Contains("pyramid"));
}

TEST_CASE("a frame source gives any part of any frame as the merge sees it", "[merge]") {
    const test::Scratch scratch;
    const Series series = test::write_series(scratch, test::strip_series({160, 100}, 3));
    SeriesGeometry geometry = unmoved(series, 1);
    geometry.frames[2].matrix = {1.01, 0, 2.5, 0, 1.01, -1.5, 0, 0, 1};
    geometry.frames[2].gains = {1.1, 1.1, 1.1};
    AlignedFrames frames(series, geometry, {0, 1, 2}, {0, 0, 160, 100});
    const FrameSource source(series, geometry, std::make_shared<FrameShelf>(1 << 20));
    const auto whole = frames.load(2, {});
    const PixelRect part(31, 22, 50, 40);
    CHECK(cv::norm(whole->pixels(part), source.load(2, part, {}).pixels, cv::NORM_INF) < 1e-5);
}
