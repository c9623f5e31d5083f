// SPDX-License-Identifier: GPL-3.0-or-later
// The steps of the work by a project: the same decisions give the same pixels, whoever asks.
#include <atomic>
#include <catch2/catch.hpp>

#include "core/mend/mended.h"
#include "core/project/align_series.h"
#include "core/project/edits.h"
#include "core/project/finish_in_plane.h"
#include "core/project/look_into.h"
#include "core/project/merge_series.h"
#include "core/project/project_json.h"
#include "tests/support/series_files.h"

using namespace moorhaze;

namespace {

constexpr int kStepFrames = 6;

struct Strips {
    test::Scratch scratch;
    Series series = test::write_series(scratch, test::strip_series({240, 140}, kStepFrames));
    FrameFacts facts = facts_of(series);
    Project project = with_series({}, series, {}, std::nullopt);
};

const Strips& strips() {
    static const Strips made;
    return made;
}

MergeResult merged(const Project& project) {
    const Series series = series_of(project, strips().facts);
    const MadeFrom from = merge_inputs(project, project.frames[2].id);
    const SeriesGeometry geometry = align_series(series, from.align, nullptr, nullptr, {}).geometry;
    return merge_series(series, geometry, from, 0, {}, {});
}

}  // namespace

TEST_CASE("a series of a project is the one that was opened", "[project][steps]") {
    const Series series = series_of(strips().project, strips().facts);
    REQUIRE(series.count() == kStepFrames);
    CHECK(series.size() == cv::Size(240, 140));
    CHECK(series.range == FrameRange{0, kStepFrames - 1});
    CHECK(series.frames[3].path == strips().series.frames[3].path);
    CHECK(series.frames[3].id == strips().series.frames[3].id);
    CHECK(index_of(series, series.frames[3].id) == 3);
    CHECK_FALSE(index_of(series, {999}));
}

TEST_CASE("a project that was written and read merges to the same pixels", "[project][steps]") {
    Project project = with_used(strips().project, strips().project.frames[1].id, false);
    MergeChoice choice;
    choice.method = "depth";
    choice.settings.seam_width_px = 5;
    choice.backdrop = project.frames[4].id;
    project = with_merge(with_range(project, {0, 4}), choice);
    const Project read =
        project_from_json(to_json(project, strips().scratch.folder()), strips().scratch.folder());
    const MergeResult one = merged(project), other = merged(read);
    CHECK(one.method == "depth");
    CHECK(one.settings.backdrop_frame == 5);
    CHECK(cv::norm(one.picture.pixels, other.picture.pixels, cv::NORM_INF) == 0);
    CHECK(cv::countNonZero(one.source == 2) == 0);
    CHECK(cv::countNonZero(one.source == 6) == 0);
}

TEST_CASE("what was measured serves for placing anew, frames that were not measured are measured",
          "[project][steps]") {
    const Project& project = strips().project;
    const FrameId reference = project.frames[2].id;
    const Series series = series_of(project, strips().facts);
    const RegisteredSeries all = align_series(series, align_inputs(project, reference), nullptr, nullptr, {});
    Placing placing;
    placing.model = PlaneModel::shift;
    const Project shifted = with_placing(project, placing);
    const RegisteredSeries again =
        align_series(series, align_inputs(shifted, reference), all.registration, nullptr, {});
    CHECK(again.registration == all.registration);
    CHECK(again.geometry.model == PlaneModel::shift);
    const Project fewer = with_used(project, project.frames[4].id, false);
    const RegisteredSeries some =
        align_series(series_of(fewer, strips().facts), align_inputs(fewer, reference), nullptr, nullptr, {});
    CHECK(
        align_series(series, align_inputs(project, reference), some.registration, nullptr, {}).registration !=
        some.registration);
    placing.as_they_lie = true;
    CHECK(align_series(series, align_inputs(with_placing(project, placing), reference), nullptr, nullptr, {})
              .geometry.as_it_lies);
}

TEST_CASE("a merge that cannot be says what to do", "[project][steps]") {
    using Catch::Contains;
    Project project = strips().project;
    for (int i = 0; i < kStepFrames; ++i) project = with_used(project, project.frames[i].id, false);
    CHECK_THROWS_WITH(merged(project), Contains("take some back"));
    const MadeFrom from = merge_inputs(strips().project, strips().project.frames[2].id);
    SeriesGeometry apart = unmoved(strips().series, 2);
    apart.frames[0].matrix(0, 2) = 1000;
    CHECK_THROWS_WITH(merge_series(strips().series, apart, from, 0, {}, {}), Contains("no area in common"));
}

TEST_CASE("looking into a series finds all there is to know, in any order of its frames",
          "[project][steps]") {
    LookTask task;
    task.quick_merge = true;
    std::atomic<int> told = 0;
    task.on_frame = [&](int, double detail) { told += detail > 0; };
    const Looked looked = look_into(strips().series, task, {});
    CHECK(told == kStepFrames);
    CHECK(looked.profiles.size() == kStepFrames);
    CHECK(looked.whole.share.size() == kStepFrames);
    CHECK(looked.quick != nullptr);
    CHECK(looked.problems.empty());
    CHECK_FALSE(looked.order.needs_repair());

    const std::vector<int> order{0, 4, 2, 3, 1, 5};
    std::vector<FrameId> ids;
    for (const int place : order) ids.push_back(strips().project.frames[place].id);
    const Series mixed = series_of(with_order(strips().project, ids), strips().facts);
    const Looked in_order = reported(permuted(looked, order), mixed), anew = look_into(mixed, task, {});
    CHECK(in_order.order.needs_repair() == anew.order.needs_repair());
    CHECK(in_order.order.near_to_far == anew.order.near_to_far);
    CHECK(in_order.whole.share == anew.whole.share);
    for (int k = 0; k < kStepFrames; ++k)
        CHECK(cv::norm(in_order.profiles[std::size_t(k)].sharpness, anew.profiles[std::size_t(k)].sharpness,
                       cv::NORM_INF) == 0);
}

TEST_CASE("each frame is decoded once by all steps together, and the shelf changes no pixel",
          "[project][steps]") {
    const test::Scratch scratch;
    const Series series = test::write_series(scratch, test::strip_series({240, 140}, kStepFrames));
    const Project project = with_series({}, series, {}, std::nullopt);
    const MadeFrom woven = merge_inputs(project, project.frames[2].id);
    constexpr std::size_t kFrameBytes = 240 * 140 * 3 * 2;  // 16 bit
    const Looked bare = look_into(series, {}, {});
    const SeriesGeometry geometry = align_series(series, woven.align, nullptr, nullptr, {}).geometry;
    for (const std::size_t frames : {0, 2, kStepFrames}) {
        INFO(frames << " frames have room");
        FrameShelf shelf(frames * kFrameBytes);
        LookTask task;
        task.shelf = &shelf;
        const Looked looked = look_into(series, task, {});
        for (int i = 0; i < kStepFrames; ++i)
            CHECK(cv::norm(looked.profiles[std::size_t(i)].sharpness, bare.profiles[std::size_t(i)].sharpness,
                           cv::NORM_INF) == 0);
        const SeriesGeometry own = align_series(series, woven.align, nullptr, &shelf, {}).geometry;
        for (int i = 0; i < kStepFrames; ++i)
            CHECK(own.frames[std::size_t(i)].matrix == geometry.frames[std::size_t(i)].matrix);
        MergeContext context;
        context.shelf = &shelf;
        for (const MergeMethod& method : merge_methods()) {
            INFO(method.name);
            MadeFrom from = woven;
            from.choice.method = method.name;
            const MergeResult with = merge_series(series, own, from, 0, context, {}),
                              without = merge_series(series, geometry, from, 0, {}, {});
            CHECK(cv::norm(with.picture.pixels, without.picture.pixels, cv::NORM_INF) == 0);
            CHECK(with.depth.size() == without.depth.size());
        }
        CHECK(shelf.bytes() == frames * kFrameBytes);
    }
    // What lies on the shelf is not read again: the files may have gone.
    FrameShelf shelf(kStepFrames * kFrameBytes);
    MergeContext context;
    context.shelf = &shelf;
    const MergeResult first = merge_series(series, geometry, woven, 0, context, {});
    for (int i = 0; i < kStepFrames; ++i)
        if (i != geometry.reference) std::filesystem::remove(series.frames[std::size_t(i)].path);
    const MergeResult second = merge_series(series, geometry, woven, 0, context, {});
    CHECK(second.problems.empty());
    CHECK(cv::norm(first.picture.pixels, second.picture.pixels, cv::NORM_INF) == 0);
}

TEST_CASE("a merge with its strokes is made in parts or as a whole alike", "[project][steps]") {
    const MergeResult merge = merged(strips().project);
    const SeriesGeometry geometry = unmoved(strips().series, 2);
    const FrameSource source(strips().series, geometry, std::make_shared<FrameShelf>(std::size_t(1) << 26));
    SharedList<Stroke> strokes;
    strokes = strokes.appended({strips().series.frames[5].id, 12, 0.5, 1, {{60, 60}, {120, 70}}});
    strokes = strokes.appended({WipeBack{}, 6, 0, 1, {{90, 65}}});
    const Picture whole = mended(merge, strokes, {source}, merge.area, {});
    CHECK(whole.pixels.size() == merge.picture.pixels.size());
    CHECK(cv::norm(whole.pixels, merge.picture.pixels, cv::NORM_INF) > 1000);
    const PixelRect part(70, 50, 40, 30);
    const Picture small = mended(merge, strokes, {source}, part, {});
    CHECK(cv::norm(small.pixels, whole.pixels(part - merge.area.tl()), cv::NORM_INF) == 0);
    CHECK(mended(merge, strokes, {source}, {5000, 0, 4, 4}, {}).pixels.empty());
    strokes = strokes.appended({FrameId{999}, 6, 0, 1, {{90, 65}}});
    CHECK_THROWS_AS(mended(merge, strokes, {source}, merge.area, {}), BadParameter);
}

TEST_CASE("a finish lies in the plane it was set in and is carried over to others", "[project][steps]") {
    const Series& series = strips().series;
    SeriesGeometry geometry = unmoved(series, 2);
    geometry.frames[4].matrix = {1, 0, -8, 0, 1, 3, 0, 0, 1};
    Finish finish;
    finish.framing.crop = PixelRect(40, 30, 80, 50);
    const FrameId own = series.frames[2].id, other = series.frames[4].id;
    // Without a plane, and in its own, it is as it was set.
    CHECK(finish_in_plane({finish, {}}, series, geometry).finish == finish);
    CHECK(finish_in_plane({finish, own}, series, geometry).finish == finish);
    const FinishInPlane carried = finish_in_plane({finish, other}, series, geometry);
    CHECK(carried.problem.empty());
    CHECK(*carried.finish.framing.crop == PixelRect(32, 33, 80, 50));
    // A frame that has no place there, or is not there: as it lay, and it is said.
    geometry.frames[4].registered = false;
    const FinishInPlane unaligned = finish_in_plane({finish, other}, series, geometry);
    CHECK(unaligned.finish == finish);
    CHECK(unaligned.problem.find("not aligned") != std::string::npos);
    CHECK(finish_in_plane({finish, FrameId{999}}, series, geometry).problem.find("not of this series") !=
          std::string::npos);
    // A finish without places has no plane.
    const Project light = with_finish(strips().project, Finish{}, own);
    CHECK_FALSE(light.finish.plane);
    CHECK(with_finish(light, finish, own).finish.plane == own);
}

TEST_CASE("a stroke from another result brings its pixels, wherever its plane lies", "[project][steps]") {
    const MergeResult merge = merged(strips().project);
    const Series& series = strips().series;
    const SeriesGeometry geometry = unmoved(series, 2);
    const FrameSource source(series, geometry, std::make_shared<FrameShelf>(std::size_t(1) << 26));
    auto white = std::make_shared<MergeResult>(merge);
    white->picture.pixels = cv::Mat(merge.picture.pixels.size(), CV_16UC3, cv::Scalar::all(50000));
    white->picture.pixels.colRange(0, 100).setTo(cv::Scalar::all(9000));
    const SharedList<Stroke> strokes{{ResultId{7}, 12, 0, 1, {{100, 60}}}};
    CHECK_THROWS_AS(mended(merge, strokes, {source}, merge.area, {}), BadParameter);

    const auto same = between_planes(series, geometry, series, geometry);
    REQUIRE(same);
    Picture picture = mended(merge, strokes, {source, {{{7}, {white, *same}}}}, merge.area, {});
    CHECK(picture.pixels.at<cv::Vec3w>(60, 94)[0] == Approx(9000).margin(80));
    CHECK(picture.pixels.at<cv::Vec3w>(60, 106)[0] == Approx(50000).margin(80));
    CHECK(picture.pixels.at<cv::Vec3w>(60, 120) == merge.picture.pixels.at<cv::Vec3w>(60, 120));

    // Laid over frame 5, which lies 8 px farther left in this plane: its edge comes to 92.
    SeriesGeometry other = unmoved(series, 4), moved = geometry;
    moved.frames[4].matrix = {1, 0, -8, 0, 1, 0, 0, 0, 1};
    const auto lies = between_planes(series, other, series, moved);
    REQUIRE(lies);
    picture = mended(merge, strokes, {source, {{{7}, {white, *lies}}}}, merge.area, {});
    CHECK(picture.pixels.at<cv::Vec3w>(60, 90)[0] == Approx(9000).margin(80));
    CHECK(picture.pixels.at<cv::Vec3w>(60, 95)[0] == Approx(50000).margin(80));
    moved.frames[4].registered = false;
    CHECK_FALSE(between_planes(series, other, series, moved));
}
