// SPDX-License-Identifier: GPL-3.0-or-later
// Merges within a memory budget, and of a part of the picture: both have to give what a merge of all gives.
#include "core/merge/merge_within.h"

#include <catch2/catch.hpp>
#include <fstream>

#include "core/merge/preview_frames.h"
#include "core/work/for_rows.h"
#include "tests/support/measures.h"
#include "tests/support/series_files.h"

using namespace moorhaze;

namespace {

const cv::Size kWithinSize(300, 1000);

struct Planted {
    test::Scratch scratch;
    Series series;
    SeriesGeometry geometry;
    Planted() : series(test::write_series(scratch, test::strip_series(kWithinSize, 6))) {
        geometry = unmoved(series, 0);
        // A little out of place, so that strips end between the frames' pixels, and one frame covers less.
        geometry.frames[2].matrix = cv::Matx33d(1.002, 0.001, -0.4, -0.001, 1.002, -1.3, 0, 0, 1);
        geometry.frames[4].matrix(1, 2) = 20.5;
    }
    /// Not unveiled: that is always done in one piece.
    MergeTask task(std::size_t megabytes) const {
        return {series, geometry, series.chosen(), {{}, kWithinSize}, {.unveil = false}, megabytes << 20};
    }
    /// The least whole number of megabytes that will do.
    std::size_t least(const MergeMethod& method) const {
        std::size_t megabytes = 50;
        for (;; ++megabytes) try {
                plan_strips(method, task(megabytes));
                return megabytes;
            } catch (const BadParameter&) {
                REQUIRE(megabytes < 1000);
            }
    }
};

double difference_db(const Picture& one, const Picture& other) {
    return test::psnr_db(test::luma_of(one), test::luma_of(other));
}

}  // namespace

TEST_CASE("in strips a merge is what it is in one piece, by every method", "[merge][memory]") {
    const Planted planted;
    for (const MergeMethod& method : merge_methods()) {
        INFO(method.name);
        const std::size_t least = planted.least(method);
        const StripPlan plan = plan_strips(method, planted.task(least));
        CHECK(plan.rows < kWithinSize.height / 2);
        CHECK(plan.margin > 0);
        const MergeResult whole = merge_within(method, planted.task(0), {}, {}),
                          strips = merge_within(method, planted.task(least), {}, {});
        REQUIRE(strips.picture.pixels.size() == kWithinSize);
        REQUIRE(strips.area == whole.area);
        // What differs is what coarse detail from beyond the margin would change.
        CHECK(difference_db(whole.picture, strips.picture) > 50);
        cv::Mat gap;
        cv::absdiff(whole.picture.pixels, strips.picture.pixels, gap);
        double most = 0;
        cv::minMaxLoc(gap.reshape(1), nullptr, &most);
        CHECK(most < 0.05 * 65535);
        CHECK(cv::countNonZero(whole.source != strips.source) < int(whole.source.total()) / 100);
        CHECK(cv::countNonZero(whole.made_by != strips.made_by) < int(whole.made_by.total()) / 50);
        CHECK(cv::mean(cv::abs(whole.depth - strips.depth))[0] < 0.02);
        CHECK(strips.picture.alpha.empty() == whole.picture.alpha.empty());
        CHECK(strips.trust.empty() == whole.trust.empty());
    }
}

TEST_CASE("strips meet without an edge", "[merge][memory]") {
    const Planted planted;
    const MergeMethod& method = merge_method("woven");
    const std::size_t least = planted.least(method);
    const int border = plan_strips(method, planted.task(least)).rows;
    const MergeResult whole = merge_within(method, planted.task(0), {}, {}),
                      strips = merge_within(method, planted.task(least), {}, {});
    // Steps from row to row across the border, in the difference to the whole.
    cv::Mat1f apart = test::luma_of(strips.picture) - test::luma_of(whole.picture);
    double at_border = 0, elsewhere = 0;
    for (int y = 1; y < kWithinSize.height; ++y) {
        const double step = cv::norm(apart.row(y), apart.row(y - 1), cv::NORM_L1) / kWithinSize.width;
        (std::abs(y - border) <= 1 ? at_border : elsewhere) =
            std::max(std::abs(y - border) <= 1 ? at_border : elsewhere, step);
    }
    CHECK(at_border < 0.001);
    // Away from the seam the strips are the whole but for noise that only the whole tells; at it nothing is
    // far off.
    CHECK(cv::norm(apart.rowRange(0, border - 64), cv::NORM_INF) < 0.003);
    CHECK(cv::norm(apart, cv::NORM_INF) < 0.03);
    CHECK(at_border < 3 * elsewhere + 1e-4);
}

TEST_CASE("memory that will not do is refused with what is needed, ample memory needs no strips",
          "[merge][memory]") {
    const Planted planted;
    const MergeMethod& method = merge_method("woven");
    const std::size_t least = planted.least(method);
    CHECK_THROWS_WITH(merge_within(method, planted.task(least - 1), {}, {}),
                      Catch::Contains(std::to_string(least) + " MB"));
    CHECK(plan_strips(method, planted.task(4000)).rows == kWithinSize.height);
    CHECK(plan_strips(method, planted.task(0)).rows == kWithinSize.height);
    // More memory, fewer strips.
    CHECK(plan_strips(method, planted.task(least + 6)).rows > plan_strips(method, planted.task(least)).rows);
}

TEST_CASE("strips: the same pixels for any number of threads, and a stop is heard", "[merge][memory]") {
    const Planted planted;
    const MergeMethod& method = merge_method("depth");
    const std::size_t least = planted.least(method);
    const cv::Mat many = merge_within(method, planted.task(least), {}, {}).picture.pixels;
    {
        const ThreadLimit limit(1);
        CHECK(cv::norm(merge_within(method, planted.task(least), {}, {}).picture.pixels, many,
                       cv::NORM_INF) == 0);
    }
    std::stop_source stop;
    Job job{stop.get_token(), [&](double fraction) {
                if (fraction > 0.5) stop.request_stop();
            }};
    CHECK_THROWS_AS(merge_within(method, planted.task(least), {}, job), Cancelled);
}

TEST_CASE("a trial of a part is what the whole merge has there", "[merge][trial]") {
    const Planted planted;
    const PixelRect part(60, 300, 180, 200), whole_area({}, kWithinSize);
    const PreviewFrames trial(planted.series, planted.geometry, planted.series.chosen(), part, whole_area,
                              {});
    CHECK(trial.area() == part);
    CHECK(trial.bytes() < 6u * 6u * std::size_t(kWithinSize.area()) / 2);
    for (const MergeMethod& method : merge_methods()) {
        INFO(method.name);
        const MergeResult whole = merge_within(method, planted.task(0), {}, {});
        const MergeResult tried = trial.merge(method, {}, &whole.statistics, part, {});
        REQUIRE(tried.picture.pixels.size() == part.size());
        CHECK(tried.area == part);
        Picture there = whole.picture;
        there.pixels = whole.picture.pixels(part);
        CHECK(difference_db(there, tried.picture) > 50);
        CHECK(cv::countNonZero(whole.source(part) != tried.source) < part.area() / 50);
        // Of a part in its middle alike.
        const PixelRect inner(100, 350, 90, 70);
        there.pixels = whole.picture.pixels(inner);
        CHECK(difference_db(there, trial.merge(method, {}, &whole.statistics, inner, {}).picture) > 48);
        there.pixels = whole.picture.pixels(part);
        // Without a statistics it has to do with what the part tells, and comes close.
        CHECK(difference_db(there, trial.merge(method, {}, nullptr, part, {}).picture) > 40);
    }
}

TEST_CASE("a trial follows the settings, and reports frames that cannot be read", "[merge][trial]") {
    const Planted planted;
    std::ofstream(planted.series.frames[3].path) << "no picture";
    const PixelRect part(60, 300, 180, 200), whole_area({}, kWithinSize);
    const PreviewFrames trial(planted.series, planted.geometry, planted.series.chosen(), part, whole_area,
                              {});
    MergeSettings settings;
    const MergeResult narrow = trial.merge(merge_method("depth"), settings, nullptr, part, {});
    settings.seam_width_px = 30;
    const MergeResult wide = trial.merge(merge_method("depth"), settings, nullptr, part, {});
    CHECK(cv::norm(narrow.picture.pixels, wide.picture.pixels, cv::NORM_INF) > 300);
    REQUIRE_FALSE(narrow.problems.empty());
    CHECK(narrow.problems[0].frame_index == 3);
    CHECK_THROWS_AS(PreviewFrames(planted.series, planted.geometry, planted.series.chosen(),
                                  {5000, 5000, 10, 10}, whole_area, {}),
                    BadParameter);
}

TEST_CASE("the depth found so far grows frame by frame, by every method", "[merge]") {
    const Planted planted;
    for (const MergeMethod& method : merge_methods()) {
        INFO(method.name);
        std::vector<cv::Mat1f> seen;
        MergeContext context;
        context.on_frame = [&](const std::function<cv::Mat1f()>& so_far) { seen.push_back(so_far()); };
        merge_within(method, planted.task(0), context, {});
        REQUIRE(seen.size() == 6);
        // Frames are sharp in strips from left to right: what is known follows, and never runs ahead.
        for (std::size_t k = 0; k < seen.size(); ++k) {
            double most = 0;
            cv::minMaxLoc(seen[k], nullptr, &most);
            CHECK(most == Approx(k + 1).margin(0.51));
        }
        const cv::Mat1f& last = seen.back();
        const int middle = last.rows / 2;
        CHECK(last(middle, last.cols / 12) == Approx(1).margin(1.01));
        CHECK(last(middle, last.cols * 11 / 12) == Approx(6).margin(1.01));
    }
}

TEST_CASE("in strips, too, the depth found so far grows: strip after strip, in a picture of the whole",
          "[merge][memory]") {
    const Planted planted;
    for (const char* name : {"woven", "pyramid"}) {
        INFO(name);
        const MergeMethod& method = merge_method(name);
        const std::size_t least = planted.least(method);
        const int rows = plan_strips(method, planted.task(least)).rows;
        std::vector<cv::Mat1f> seen;
        MergeContext context;
        context.on_frame = [&](const std::function<cv::Mat1f()>& so_far) { seen.push_back(so_far()); };
        merge_within(method, planted.task(least), context, {});
        REQUIRE(seen.size() > 6);
        const double shrink = double(seen[0].cols) / kWithinSize.width;
        CHECK(seen[0].rows == Approx(kWithinSize.height * shrink).margin(1));
        // After the first strip's six frames its rows are known and those far below are not; at the end all.
        const int own = int(rows * shrink / 2), below = seen[0].rows - 2;
        CHECK(seen[5](own, 2) == Approx(1).margin(1.01));
        CHECK(cv::countNonZero(seen[5].row(below)) == 0);
        CHECK(seen.back()(own, 2) == Approx(1).margin(1.01));
        CHECK(seen.back()(below, seen[0].cols - 2) == Approx(6).margin(1.01));
    }
}

TEST_CASE("runs of what moved end where the next place of the small planes begins", "[merge][trial]") {
    MergeStatistics statistics;
    statistics.area = {10, 20, 200, 100};
    statistics.downsamplings = 3;
    statistics.moved.first = cv::Mat1w(13, 25, ushort(0));
    for (const int origin : {10, 13, 74})
        for (const int level : {0, 1, 3, 5}) {
            const PixelRect target(origin, 20, 210 - origin, 100);
            const int width = ((target.width - 1) >> level) + 1;
            for (int x = 0; x < width;) {
                const int end = statistics.run_in_moved(target, {x, 0}, level, width);
                REQUIRE(end > x);
                for (int u = x; u < end; ++u)
                    CHECK(statistics.in_moved(target, {u, 0}, level) ==
                          statistics.in_moved(target, {x, 0}, level));
                if (end < width)
                    CHECK(statistics.in_moved(target, {end, 0}, level) !=
                          statistics.in_moved(target, {x, 0}, level));
                x = end;
            }
        }
}

TEST_CASE("strips report a frame that cannot be read once, and go on without it", "[merge][memory]") {
    const Planted planted;
    std::ofstream(planted.series.frames[3].path) << "no picture";
    const MergeMethod& method = merge_method("woven");
    const MergeResult result = merge_within(method, planted.task(planted.least(method)), {}, {});
    REQUIRE(result.problems.size() == 1);
    CHECK(result.problems[0].frame_index == 3);
    CHECK(cv::countNonZero(result.source == 4) == 0);
    CHECK(cv::countNonZero(result.source == 0) == 0);
}
