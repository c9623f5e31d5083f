// SPDX-License-Identifier: GPL-3.0-or-later
// Clipped highlights: sparks on a dark, textured plane, seen by a lens whose discs are known.
#include <catch2/catch.hpp>
#include <opencv2/imgproc.hpp>

#include "core/merge/highlights.h"
#include "core/merge/merge.h"
#include "core/merge/merge_statistics.h"
#include "tests/support/measures.h"
#include "tests/support/series_files.h"
#include "tests/support/textured.h"

using namespace moorhaze;

namespace {

const cv::Size kGlintSize(300, 220);
constexpr int kGlintFrames = 12;
constexpr double kPerFrame_px = 1.2;  // of a disc's radius

struct Spark {
    cv::Point at;
    double radius_px, light;  ///< light of many times full scale is clipped
    double frame;             ///< that it is sharp in
};

cv::Mat1f disc_kernel(double radius_px) {
    const int reach = int(radius_px + 2);
    cv::Mat1f kernel(2 * reach + 1, 2 * reach + 1);
    for (int y = -reach; y <= reach; ++y)
        for (int x = -reach; x <= reach; ++x)
            kernel(y + reach, x + reach) = float(std::clamp(radius_px + 0.5 - std::hypot(x, y), 0.0, 1.0));
    kernel /= cv::sum(kernel)[0];
    return kernel;
}

cv::Mat1f blurred(const cv::Mat1f& light, double frames_off) {
    cv::Mat1f out;
    cv::filter2D(light, out, -1, disc_kernel(kPerFrame_px * std::abs(frames_off)), {-1, -1}, 0,
                 cv::BORDER_REFLECT_101);
    return out;
}

/// IEC 61966-2-1, as files of these tests are read.
double encoded(double light) {
    return light <= 0.0031308 ? 12.92 * light : 1.055 * std::pow(light, 1 / 2.4) - 0.055;
}

/// The plane is sharp in frame 6 (from 0).
struct DarkPlane {
    std::vector<Spark> sparks;
    double brightness = 0.12;

    /// @param frame  -1: all sharp.
    Picture picture(int frame) const {
        static const test::Texture texture(5, 80, 5, 40);
        cv::Mat1f plane(kGlintSize);
        for (int y = 0; y < kGlintSize.height; ++y)
            for (int x = 0; x < kGlintSize.width; ++x) plane(y, x) = float(brightness * texture.at(x, y));
        cv::Mat1f light = frame < 0 ? plane : blurred(plane, frame - 6.0);
        for (const Spark& spark : sparks) {
            cv::Mat1f own(kGlintSize, 0.0f);
            for (int y = 0; y < kGlintSize.height; ++y)
                for (int x = 0; x < kGlintSize.width; ++x)
                    own(y, x) = float(spark.light * std::clamp(spark.radius_px + 0.5 -
                                                                   std::hypot(x - spark.at.x, y - spark.at.y),
                                                               0.0, 1.0));
            light += frame < 0 ? own : blurred(own, frame - spark.frame);
        }
        return test::picture_from(kGlintSize,
                                  [&](int x, int y) { return encoded(std::min(1.0f, light(y, x))); });
    }
    Series write(const test::Scratch& scratch) const {
        std::vector<Picture> pictures;
        for (int k = 0; k < kGlintFrames; ++k) pictures.push_back(picture(k));
        return test::write_series(scratch, pictures);
    }
};

MergeResult merged_glints(const Series& series, const char* method) {
    const SeriesGeometry geometry = unmoved(series, 0);
    AlignedFrames frames(series, geometry, series.chosen(), {{}, kGlintSize});
    return merge_method(method).merge(frames, {}, {}, {});
}

std::vector<ClippedRun> runs_of(const cv::Mat1b& places) {
    std::vector<ClippedRun> runs;
    for (int y = 0; y < places.rows; ++y)
        for (int x = 0; x < places.cols; ++x)
            if (places(y, x) > 0) runs.push_back({y, x, x + 1});
    return runs;
}

/// What Highlights says of frames that are clipped there.
/// @param bright  where each is at least nearly clipped; empty: a soft rim of one place.
cv::Mat1s frames_of(const std::vector<cv::Mat1b>& clipped, const std::vector<cv::Mat1b>& bright = {}) {
    Highlights highlights(clipped[0].size(), 3000);
    for (std::size_t k = 0; k < clipped.size(); ++k) {
        cv::Mat1b wide;
        cv::dilate(clipped[k], wide, cv::getStructuringElement(cv::MORPH_CROSS, {3, 3}));
        highlights.add(runs_of(clipped[k]), runs_of(bright.empty() ? wide : bright[k]));
    }
    return highlights.frames({});
}

cv::Mat1b drawn(const std::function<void(cv::Mat1b&)>& draw) {
    cv::Mat1b plane(80, 120, uchar(0));
    draw(plane);
    return plane;
}

}  // namespace

TEST_CASE("no merge shows a ring round a clipped highlight", "[merge][highlights]") {
    // On the plane, behind it (as a bent mirror shows its lamp), near the last frame, and two that overlap.
    const DarkPlane scene{{{{60, 60}, 3, 10, 6},
                           {{150, 60}, 4, 6, 8},
                           {{240, 60}, 2.5, 14, 9},
                           {{90, 160}, 3, 8, 6},
                           {{106, 166}, 2, 12, 6}}};
    const test::Scratch scratch;
    const Series series = scene.write(scratch);
    const cv::Mat1f truth = test::luma_of(scene.picture(-1));
    for (const char* method : {"woven", "depth", "pyramid"}) {
        const MergeResult result = merged_glints(series, method);
        const cv::Mat1f luma = test::luma_of(result.picture);
        for (const Spark& spark : scene.sparks) {
            cv::Mat1b ring(kGlintSize, uchar(0));
            cv::circle(ring, spark.at, 30, 255, cv::FILLED);
            for (const Spark& other : scene.sparks)  // their own soft edges are no ring
                cv::circle(ring, other.at, int(other.radius_px) + 3, 0, cv::FILLED);
            double darker = 0, brighter = 0;
            cv::minMaxLoc(luma - truth, &darker, &brighter, nullptr, nullptr, ring);
            INFO(method << " at " << spark.at);
            CHECK(brighter < 0.12);
            CHECK(darker > -0.12);
            CHECK(test::psnr_db(luma, truth, ring) > 33);
            CHECK(luma(spark.at) > 0.98f);  // and it is still there
            CHECK(MadeBy(result.made_by(spark.at)) == MadeBy::highlight);
            CHECK(std::abs(result.source(spark.at) - (spark.frame + 1)) <= 1);
        }
        for (const cv::Point at : {cv::Point(20, 200), {280, 120}, {200, 200}}) {
            CHECK(MadeBy(result.made_by(at)) != MadeBy::highlight);
        }
    }
}

TEST_CASE("a highlight's frame is the one that clips least around it", "[merge][highlights]") {
    std::vector<cv::Mat1b> clipped;
    for (const int radius : {0, 12, 9, 6, 3, 5, 8, 11, 0})  // far off, the disc is too faint to clip
        clipped.push_back(drawn([&](cv::Mat1b& plane) {
            if (radius > 0) cv::circle(plane, {60, 40}, radius, 255, cv::FILLED);
        }));
    const cv::Mat1s frames = frames_of(clipped);
    for (const cv::Point at : {cv::Point(60, 40), {70, 40}, {60, 50}, {60 + 12 + 3, 40}})
        CHECK(frames(at) == 4);
    CHECK(frames(40, 90) == -1);
}

TEST_CASE("a surface just about as bright as frames can show is no highlight", "[merge][highlights]") {
    // Noise clips more or less of it; nearly clipped is all of it.
    std::vector<cv::Mat1b> clipped, bright;
    for (const int radius : {12, 9, 6, 3, 5, 8, 11}) {
        clipped.push_back(drawn([&](cv::Mat1b& plane) {
            cv::circle(plane, {60, 40}, radius, 255, cv::FILLED);
        }));
        bright.push_back(drawn([&](cv::Mat1b& plane) { cv::circle(plane, {60, 40}, 12, 255, cv::FILLED); }));
    }
    CHECK(frames_of(clipped)(40, 60) == 3);
    CHECK(frames_of(clipped, bright)(40, 60) == -1);
}

TEST_CASE("a frame that alone is darker is no highlight's own", "[merge][highlights]") {
    std::vector<cv::Mat1b> clipped;
    for (const int radius : {12, 12, 13, 4, 12, 13, 12})  // a flash failed
        clipped.push_back(drawn([&](cv::Mat1b& plane) {
            cv::circle(plane, {60, 40}, radius, 255, cv::FILLED);
        }));
    CHECK(frames_of(clipped)(40, 60) == kUnknownFrame);
}

TEST_CASE("of a large highlight most is clipped in every frame: a slight rise on both sides tells its own",
          "[merge][highlights]") {
    std::vector<cv::Mat1b> clipped;
    for (const int radius : {27, 27, 26, 26, 25, 24, 23, 24, 25, 25, 26})
        clipped.push_back(drawn([&](cv::Mat1b& plane) {
            cv::circle(plane, {60, 40}, radius, 255, cv::FILLED);
        }));
    const cv::Mat1s frames = frames_of(clipped);
    CHECK(frames(40, 60) == 6);
    // Its soft rim reaches as far as discs spread; behind it the picture is itself.
    CHECK(frames(40, 60 + 27 + 20) == 6);
    CHECK(frames(0, 0) == kNoHighlight);
    // The same rise of what is a good part of the picture is a wall's.
    Highlights wall(clipped[0].size(), 120);
    for (const cv::Mat1b& own : clipped) wall.add(runs_of(own), runs_of(own));
    CHECK(wall.frames({})(40, 60) == kNoHighlight);
}

TEST_CASE("around a highlight whose frame cannot be told depth alone decides", "[merge][highlights]") {
    std::vector<cv::Mat1b> clipped;
    for (const int radius : {9, 9, 10, 10, 10, 11, 11, 12})  // it only grows
        clipped.push_back(drawn([&](cv::Mat1b& plane) {
            cv::circle(plane, {60, 40}, radius, 255, cv::FILLED);
        }));
    const cv::Mat1s frames = frames_of(clipped);
    CHECK(frames(40, 60) == kUnknownFrame);
    CHECK(frames(40, 60 + 12 + 8) == kUnknownFrame);
    CHECK(frames(0, 0) == kNoHighlight);
}

TEST_CASE("a part that cuts a highlight takes it from the frame that the whole does", "[merge][highlights]") {
    const DarkPlane scene{{{{138, 100}, 4, 6, 8}}};
    const test::Scratch scratch;
    const Series series = scene.write(scratch);
    const SeriesGeometry geometry = unmoved(series, 0);
    AlignedFrames whole(series, geometry, series.chosen(), {{}, kGlintSize});
    MergeContext context;
    const MergeStatistics statistics = gather_statistics(whole, {}, {});
    context.statistics = &statistics;
    AlignedFrames part(series, geometry, series.chosen(), {0, 0, 128, 192});
    const MergeResult cut = merge_method("depth").merge(part, {}, context, {});
    int of_highlight = 0;
    for (int y = 95; y < 105; ++y) of_highlight += MadeBy(cut.made_by(y, 127)) == MadeBy::highlight;
    CHECK(of_highlight == 10);  // its disc reaches in, the spark itself lies outside
    CHECK(cut.depth(100, 127) == Approx(9));
}

TEST_CASE("a highlight that is sharp beyond the frames comes from the last of them", "[merge][highlights]") {
    std::vector<cv::Mat1b> near, far;
    for (const int radius : {2, 4, 6, 8, 10, 12, 0, 0})
        near.push_back(drawn([&](cv::Mat1b& plane) {
            if (radius > 0) cv::circle(plane, {60, 40}, radius, 255, cv::FILLED);
        }));
    far.assign(near.rbegin(), near.rend());
    CHECK(frames_of(near)(40, 60) == 0);
    CHECK(frames_of(far)(40, 60) == 7);
}

TEST_CASE("white walls, white edges and what fades away are no highlights", "[merge][highlights]") {
    std::vector<cv::Mat1b> wall, fading, nothing;
    for (int k = 0; k < 9; ++k) {
        wall.push_back(drawn([&](cv::Mat1b& plane) {
            cv::rectangle(plane, {20 + std::abs(k - 4), 10, 60, 50}, 255, cv::FILLED);
        }));
        fading.push_back(drawn([&](cv::Mat1b& plane) {
            if (k < 6) cv::circle(plane, {60, 40}, 6 - k, 255, cv::FILLED);
        }));
        nothing.push_back(drawn([](cv::Mat1b&) {}));
    }
    for (const auto& planes : {wall, fading, nothing}) {
        double most = 0;
        cv::minMaxLoc(frames_of(planes), nullptr, &most);
        CHECK(most == -1);
    }
}
