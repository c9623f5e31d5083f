// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/quick_merge.h"

#include <catch2/catch.hpp>
#include <opencv2/imgproc.hpp>

#include "core/picture/tone_curve.h"
#include "core/work/for_rows.h"
#include "tests/support/measures.h"
#include "tests/support/series_files.h"
#include "tests/support/textured.h"

using namespace moorhaze;

namespace {

constexpr int kStrips = 8;
const cv::Size kQuickSize{640, 240};

cv::Mat3b rgb8(const Picture& picture) {
    return with_bits(picture, 8).pixels;
}

/// Previews of a strip series: frame i is sharp in strip i.
std::vector<cv::Mat3b> strips(const std::function<cv::Point2d(int, double, double)>& lie = {}) {
    std::vector<cv::Mat3b> previews;
    for (const Picture& picture : test::strip_series(kQuickSize, kStrips, lie))
        previews.push_back(rgb8(picture));
    return previews;
}

std::vector<int> all_frames() {
    std::vector<int> frames;
    for (int i = 0; i < kStrips; ++i) frames.push_back(i);
    return frames;
}

/// Mean absolute difference in 8-bit steps, away from the border.
double off(const cv::Mat3b& one, const cv::Mat3b& other) {
    const cv::Rect inner(20, 20, one.cols - 40, one.rows - 40);
    cv::Mat difference;
    cv::absdiff(one(inner), other(inner), difference);
    const cv::Scalar mean = cv::mean(difference);
    return (mean[0] + mean[1] + mean[2]) / 3;
}

}  // namespace

TEST_CASE("a quick merge is sharp everywhere the frames are, and a range only there", "[quick]") {
    const auto previews = strips();
    const cv::Mat3b truth = rgb8(test::strip_truth(kQuickSize));
    const QuickMerge quick(previews, register_previews(previews, {}), {});
    const cv::Mat3b whole = quick.merge(all_frames(), {});
    REQUIRE(whole.size() == kQuickSize);
    // Each single frame is far off outside its strip.
    CHECK(off(whole, truth) < 0.4 * off(previews[3], truth));
    const cv::Mat3b near = quick.merge({0, 1, 2}, {});
    const cv::Rect in(30, 30, 180, 180), out(450, 30, 150, 180);
    CHECK(off(near(in), truth(in)) < 1.2 * off(whole(in), truth(in)) + 0.5);
    CHECK(off(near(out), truth(out)) > 2 * off(whole(out), truth(out)));
}

TEST_CASE("previews that shake and breathe are warped onto each other", "[quick]") {
    const auto lie = [](int frame, double x, double y) {
        const double scale = 1 + 0.006 * (frame - 3.5);
        return cv::Point2d(320 + (x - 320) * scale + 1.7 * (frame % 3),
                           120 + (y - 120) * scale - 1.3 * (frame % 2));
    };
    const auto previews = strips(lie);
    const SeriesGeometry geometry = register_previews(previews, {});
    double worst = 0;
    for (int i = 0; i < kStrips; ++i) {
        REQUIRE(geometry.frames[std::size_t(i)].registered);
        for (const cv::Point2d corner : {cv::Point2d(0, 0), {639, 0}, {639, 239}, {0, 239}}) {
            const cv::Vec3d found = geometry.frames[std::size_t(i)].matrix * cv::Vec3d(corner.x, corner.y, 1);
            // Where the frame's pixel lies in the true picture, then where the reference shows that.
            const cv::Point2d lies = lie(i, corner.x, corner.y), zero = lie(geometry.reference, 0, 0),
                              one = lie(geometry.reference, 1, 0);
            const double scale = one.x - zero.x;
            const cv::Point2d wanted((lies.x - zero.x) / scale, (lies.y - zero.y) / scale);
            worst = std::max(worst, std::hypot(found[0] - wanted.x, found[1] - wanted.y));
        }
    }
    // For looking: neighbours here share little that is sharp, and errors add up over four frames.
    CHECK(worst < 2.5);
    INFO(worst);
}

TEST_CASE("pointing finds the frame that is sharpest there, and drawing across finds the range", "[quick]") {
    const auto previews = strips();
    const QuickMerge quick(previews, register_previews(previews, {}), {});
    const int reference = quick.geometry().reference;
    for (int strip = 0; strip < kStrips; ++strip) {
        const SharpFrames sharp = quick.sharp_at((strip + 0.5) / kStrips, 0.5, reference);
        REQUIRE(!sharp.frames.empty());
        CHECK(sharp.frames[0].frame == strip);
    }
    CHECK(quick.sharp_at(1.7, 0.5, 0).frames.empty());
    std::vector<cv::Point2d> line;
    for (double across = 0.32; across <= 0.7; across += 0.01) line.emplace_back(across, 0.4 + 0.2 * across);
    const auto range = quick.range_along(line, quick.geometry().reference, 1);
    REQUIRE(range);
    CHECK(*range == FrameRange{1, 6});  // strips 2 to 5, one to spare
    CHECK(*quick.range_along({{0.01, 0.5}}, -1, 1) == FrameRange{0, 1});
    CHECK_FALSE(quick.range_along({}, 0, 1));
}

TEST_CASE("a line over a backdrop that never gets sharp tells nothing", "[quick]") {
    auto previews = strips();
    for (cv::Mat3b& preview : previews) preview(cv::Rect(320, 0, 320, 240)) = cv::Vec3b(90, 100, 110);
    const QuickMerge quick(previews, register_previews(previews, {}), {});
    CHECK_FALSE(quick.range_along({{0.7, 0.5}, {0.8, 0.5}, {0.9, 0.6}}, -1, 1));
    CHECK(quick.sharp_at(0.8, 0.5, -1).frames.empty());
    std::vector<cv::Point2d> line;
    for (double across = 0.2; across <= 0.9; across += 0.01) line.emplace_back(across, 0.5);
    const auto range = quick.range_along(line, -1, 0);
    REQUIRE(range);
    CHECK(range->first == 1);
    CHECK(range->last <= 4);
}

TEST_CASE("unreadable frames and none at all are passed over, another order is the same merge", "[quick]") {
    auto previews = strips();
    previews[2] = cv::Mat3b();
    const QuickMerge quick(previews, register_previews(previews, {}), {});
    CHECK(quick.merge({2}, {}).empty());
    CHECK(quick.merge({}, {}).empty());
    const cv::Mat3b plain = quick.merge({1, 2, 3}, {});
    const QuickMerge turned = quick.reordered({7, 6, 5, 4, 3, 2, 1, 0});
    CHECK(cv::norm(turned.merge({4, 5, 6}, {}), plain, cv::NORM_INF) <= 1);  // sums in another order
    for (int strip = 0; strip < kStrips; ++strip) {
        if (strip == 2) continue;  // nobody has that
        const SharpFrames sharp = turned.sharp_at((strip + 0.5) / kStrips, 0.5, -1);
        REQUIRE(!sharp.frames.empty());
        CHECK(sharp.frames[0].frame == 7 - strip);
    }
    CHECK(turned.geometry().reference == 7 - quick.geometry().reference);
    CHECK_FALSE(register_previews({cv::Mat3b(), cv::Mat3b()}, {}).frames[0].registered);
}

TEST_CASE("a quick merge is the same for any number of threads and can be stopped", "[quick]") {
    const auto previews = strips();
    const QuickMerge many(previews, register_previews(previews, {}), {});
    const cv::Mat3b merged = many.merge(all_frames(), {});
    const ThreadLimit one(1);
    const QuickMerge single(previews, register_previews(previews, {}), {});
    CHECK(cv::norm(single.merge(all_frames(), {}), merged, cv::NORM_INF) == 0);
    std::stop_source stop;
    stop.request_stop();
    CHECK_THROWS_AS(many.merge(all_frames(), Job{stop.get_token(), {}}), Cancelled);
}

TEST_CASE("previews of a long series take no more memory than those of a hundred frames", "[quick]") {
    PreviewShelf few(50), many(400);
    const cv::Mat3b preview(200, 300, cv::Vec3b(10, 20, 30));
    few.put(7, preview);
    many.put(7, preview);
    CHECK(few.pictures()[7].size() == cv::Size(300, 200));
    CHECK(many.pictures()[7].size() == cv::Size(150, 100));
    CHECK(many.pictures()[8].empty());
}
