// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/sets/turntable.h"

#include <catch2/catch.hpp>
#include <cmath>

#include "core/files/picture_file.h"
#include "core/finish/finished.h"
#include "core/sets/run_set.h"
#include "core/sets/set_paths.h"
#include "tests/support/card_files.h"
#include "tests/support/turned_vase.h"

using namespace moorhaze;
namespace fs = std::filesystem;

namespace {

constexpr int kViews = 12;
const test::TurnedVase kVase;

struct Views {
    test::Scratch scratch;
    std::vector<fs::path> files;
    Views() {
        for (int i = 0; i < kViews; ++i) {
            files.push_back(scratch / ("v-" + std::to_string(i + 1) + ".tif"));
            write_picture(files.back(), kVase.view(360.0 * i / kViews, test::light_of_turned_view(i)), {}, {},
                          {});
        }
    }
};
/// Drawn once for all cases.
const Views& views() {
    static const Views drawn;
    return drawn;
}

/// How far the middles of outlines lie from the best circle's projection (a sine of the turn), px, at most.
double off_circle(const std::vector<Outline>& outlines) {
    cv::Mat1d terms(int(outlines.size()), 3), middles(int(outlines.size()), 1), best;
    for (int i = 0; i < terms.rows; ++i) {
        const double turn = 2 * CV_PI * i / terms.rows;
        terms(i, 0) = 1, terms(i, 1) = std::cos(turn), terms(i, 2) = std::sin(turn);
        middles(i, 0) = outlines[std::size_t(i)].centre();
    }
    cv::solve(terms, middles, best, cv::DECOMP_SVD);
    const cv::Mat1d off = cv::abs(terms * best - middles);
    double most = 0;
    cv::minMaxLoc(off, nullptr, &most);
    return most;
}

}  // namespace

TEST_CASE("the axis of a turntable is found with its lean, and the light of each view", "[sets][turntable]") {
    const TurntableLook look = look_at_views(views().files, std::nullopt, 0.12, {});
    CHECK(look.size == kVase.size());
    CHECK(look.tilt_deg == Approx(test::TurnedVase::kLean_deg).margin(0.05));
    // The axis goes through the picture's middle height at its place.
    const double at_middle =
        look.axis_x + std::tan(look.tilt_deg * CV_PI / 180) * (kVase.size().height / 2.0 - look.axis_y);
    CHECK(at_middle == Approx(kVase.axis_x()).margin(0.3));
    REQUIRE(look.gains.size() == kViews);
    std::vector<double> evened;
    for (int i = 0; i < kViews; ++i)
        evened.push_back(test::light_of_turned_view(i) * look.gains[std::size_t(i)]);
    for (const double own : evened) CHECK(own == Approx(evened[0]).epsilon(0.002));
    CHECK(look.remarks.empty());
    CHECK(off_circle(look.outlines) < 0.5);
}

TEST_CASE("all views over each other show where the object is in any, in every, and in one of them",
          "[sets][turntable]") {
    const TurntableLook look = look_at_views(views().files, std::nullopt, 0.12, {});
    const TurntableRule rule;
    const PixelRect area = levelled_area(look, rule);
    // At the height where the vase is widest, so far from the axis, in linear light.
    const auto light = [&](ViewsShown shown, int view, double across) {
        const Picture own = levelled_views(look, rule, shown, view);
        CHECK(std::abs(own.width() * look.shrink - area.width) < look.shrink);
        const int x = int(look.axis_x + across - area.x) / look.shrink, y = (204 - area.y) / look.shrink;
        return to_linear(own, ToneCurve(own.profile))(y, x)[1];
    };
    // The vase goes 9 px to either side and is 70 px wide there.
    for (const double side : {-1.0, 1.0}) {
        CHECK(light(ViewsShown::darkest, 0, side * 75) < 0.3);
        CHECK(light(ViewsShown::lightest, 0, side * 75) > 0.5);
        CHECK(light(ViewsShown::lightest, 0, side * 50) < 0.3);
        CHECK(light(ViewsShown::darkest, 0, side * 90) > 0.5);
        const double mean = light(ViewsShown::mean, 0, side * 72);
        CHECK((mean > 0.25 && mean < 0.6));
    }
    CHECK(light(ViewsShown::one, 0, 75) < 0.3);
    CHECK(light(ViewsShown::one, 0, -75) > 0.5);
    CHECK(light(ViewsShown::one, kViews / 2, 75) > 0.5);
    CHECK(light(ViewsShown::one, kViews / 2, -75) < 0.3);
    // Levelled: left and right of the axis it is as wide at the top as at the bottom, in one light.
    double least = 1, most = 0;
    for (int view = 0; view < kViews; ++view) {
        const double own = light(ViewsShown::one, view, 110);
        least = std::min(least, own), most = std::max(most, own);
    }
    CHECK(most / least < 1.005);
}

TEST_CASE("views leave levelled, with one crop, one light and a white ground", "[sets][turntable]") {
    const TurntableLook look = look_at_views(views().files, std::nullopt, 0.12, {});
    const TurntableRule rule;
    std::vector<Picture> finished_views;
    for (int i = 0; i < kViews; ++i) {
        const Finish finish = finish_of_view({}, look, rule, i);
        auto subject = finish_subject(read_picture(views().files[std::size_t(i)]), {}, 1, {});
        subject = prepared(subject, finish, look.size, {});
        finished_views.push_back(finished(*subject, finish, {}));
    }
    const cv::Size size = finished_views[0].pixels.size();
    double least = 1e9, most = 0;
    for (const Picture& view : finished_views) {
        CHECK(view.pixels.size() == size);
        for (const cv::Point corner :
             {cv::Point(2, 2), cv::Point(size.width - 3, 2), cv::Point(2, size.height - 3)})
            CHECK(with_bits(view, 8).pixels.at<cv::Vec3b>(corner) == cv::Vec3b(255, 255, 255));
        const cv::Mat3f light = to_linear(view, ToneCurve(view.profile));
        const double own = light(20, size.width / 2)[1];  // the vase's rim
        least = std::min(least, own), most = std::max(most, own);
    }
    // The vase's own light turns with it by 0.05 of 0.12; what is left of the views' light is below 1 %.
    CHECK(most / least < (0.12 + 0.05) / (0.12 - 0.05) * 1.01);
    // Upright now, the axis in the middle: the vase is as wide to the left as to the right.
    const test::Scratch scratch;
    std::vector<fs::path> files;
    for (int i = 0; i < kViews; ++i) {
        files.push_back(scratch / (std::to_string(i) + ".tif"));
        write_picture(files.back(), finished_views[std::size_t(i)], {}, {}, {});
    }
    const TurntableLook again = look_at_views(files, std::nullopt, 0.12, {});
    CHECK(std::abs(again.tilt_deg) < 0.05);
    CHECK(again.axis_x == Approx((size.width - 1) / 2.0).margin(0.7));
    CHECK(off_circle(again.outlines) < 1);
    // Nothing of the object is cut off in any view.
    for (const Outline& own : again.outlines) {
        CHECK(*std::min_element(own.left.begin(), own.left.end()) > 3);
        CHECK(*std::max_element(own.right.begin(), own.right.end()) < size.width - 4);
    }
}

TEST_CASE("a view that is there twice, and views of another size, are told", "[sets][turntable]") {
    auto files = views().files;
    files[5] = files[4];
    const TurntableLook look = look_at_views(files, std::nullopt, 0.12, {});
    REQUIRE(look.remarks.size() == 1);
    CHECK_THAT(look.remarks[0], Catch::Contains("views 5 and 6 show the same"));
    const test::Scratch scratch;
    Picture small;
    small.pixels = cv::Mat(40, 40, CV_8UC3, cv::Scalar(200, 200, 200));
    WriteSettings write;
    write.bits = 8;
    write_picture(scratch / "small.tif", small, {}, write, {});
    files[7] = scratch / "small.tif";
    CHECK_THROWS_WITH(look_at_views(files, std::nullopt, 0.12, {}), Catch::Contains("small.tif"));
    CHECK_THROWS_AS(look_at_views({files[0]}, std::nullopt, 0.12, {}), BadParameter);
    files = {scratch / "small.tif", scratch / "small.tif"};
    CHECK_THROWS_WITH(look_at_views(files, std::nullopt, 0.12, {}), Catch::Contains("no object"));
    TurntableRule outside;
    outside.crop = PixelRect(5000, 5000, 10, 10);
    CHECK_THROWS_AS(framing_of_views(look, outside), BadParameter);
}

TEST_CASE("a turntable's run ends in numbered pictures of one size, and says which view is missing",
          "[sets][turntable]") {
    const test::Scratch scratch;
    for (int i = 0; i < 6; ++i) {
        // The fourth view is missing.
        const fs::path folder = scratch / "vase" / ("view-0" + std::to_string(i < 3 ? i + 1 : i + 2));
        fs::create_directories(folder);
        for (int frame = 1; frame <= 2; ++frame)
            fs::copy_file(views().files[std::size_t(2 * i)],
                          folder / ("f-" + std::to_string(frame) + ".tif"));
    }
    const Recipe recipe = recipe_from_json(R"({"moorhaze_recipe": 1, "alignment": {"as_they_lie": true},
        "flags": {"accept": "all"}, "merge": {"method": "blend"}, "turntable": {"views": 7},
        "hand_over": {"outputs": [{"format": "png", "bits": 8, "name": "{series}-{number}",
                                   "size": "long_side", "size_value": 200}]}})");
    CHECK(recipe_from_json(json_of(recipe)) == recipe);
    const SetPlan plan = plan_set(recipe, {scratch / "vase"}, parse_out((scratch / "out").string()), {});
    REQUIRE(plan.series.size() == 6);
    const auto records = run_set(plan, {}, {}, {});
    REQUIRE(records.size() == 7);
    const SeriesRecord& all = records.back();
    INFO(json_of(all));
    CHECK(all.state == SeriesState::doubtful);
    REQUIRE(all.reasons.size() == 2);
    CHECK_THAT(all.reasons[0], Catch::Contains("7 views were expected, 6 are there"));
    CHECK_THAT(all.reasons[1], Catch::Contains("view 4 is missing"));
    CHECK(all.merged == 6);
    cv::Size size;
    for (int i = 1; i <= 6; ++i) {
        const Picture view = read_picture(scratch / "out" / ("vase-0" + std::to_string(i) + ".png"));
        if (i == 1) size = view.pixels.size();
        CHECK(view.pixels.size() == size);
        CHECK(std::max(view.width(), view.height()) == 200);
    }
    const auto written = fs::last_write_time(scratch / "out" / "vase-01.png");
    CHECK(run_set(plan, {}, {}, {}).back() == all);
    CHECK(fs::last_write_time(scratch / "out" / "vase-01.png") == written);

    // With another crop all are finished anew, and none is merged again. What somebody has changed stays.
    SetPlan cropped = plan;
    cropped.recipe.turntable->crop = PixelRect(150, 60, 120, 240);
    const fs::path merged = SetPaths(scratch / "out" / "moorhaze-set").view("view-01");
    const auto was_merged = fs::last_write_time(merged);
    const SeriesRecord anew = run_set(cropped, {}, {}, {}).back();
    INFO(json_of(anew));
    CHECK(anew.is_made());
    CHECK(fs::last_write_time(merged) == was_merged);
    const Picture view = read_picture(scratch / "out" / "vase-01.png");
    CHECK(view.pixels.size() == cv::Size(100, 200));
    test::write_all(scratch / "out" / "vase-02.png", "retouched");
    const SeriesRecord refused = run_set(plan, {}, {}, {}).back();
    CHECK(refused.state == SeriesState::failed);
    CHECK_THAT(refused.reasons[0], Catch::Contains("vase-02.png: exists already"));
    CHECK(test::read_all(scratch / "out" / "vase-02.png") == "retouched");
}
