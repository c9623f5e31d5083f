// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/focus/focus_order.h"

#include <catch2/catch.hpp>
#include <numeric>
#include <random>

#include "core/focus/frame_faults.h"
#include "core/focus/series_report.h"
#include "core/merge/quick_merge.h"
#include "tests/support/series_files.h"
#include "tests/support/textured.h"

using namespace moorhaze;

namespace {

constexpr int kFrames = 12;

/// A planted series of strips, its frames then put in another order.
class Strips {
  public:
    Strips() : series_(test::write_series(scratch_, test::strip_series({480, 96}, kFrames))) {
        for (int i = 0; i < kFrames; ++i)
            profiles_.push_back(focus_profile(series_.frames[std::size_t(i)], i, {}).value());
    }
    SeriesReport report(const std::vector<int>& order, std::optional<double> growth = {}) const {
        Series series = series_;
        std::vector<FocusProfile> profiles;
        series.frames.clear();
        for (const int frame : order) {
            series.frames.push_back(series_.frames[std::size_t(frame)]);
            profiles.push_back(profiles_[std::size_t(frame)]);
        }
        return report_on(series, profiles, growth);
    }

  private:
    test::Scratch scratch_;
    Series series_;
    std::vector<FocusProfile> profiles_;
};

const Strips& strips() {
    static const Strips made;
    return made;
}

std::vector<int> rising() {
    std::vector<int> order(kFrames);
    std::iota(order.begin(), order.end(), 0);
    return order;
}

/// The true frames in the order that was suggested for `shown`.
std::vector<int> repaired(const OrderReport& report, const std::vector<int>& shown) {
    std::vector<int> frames;
    for (const int place : report.near_to_far) frames.push_back(shown[std::size_t(place)]);
    return frames;
}

Series with_distances(const std::vector<double>& metres) {
    Series series;
    for (const double value : metres) {
        Frame frame;
        frame.info.shooting.focus_distance_m = value;
        series.frames.push_back(frame);
    }
    return series;
}

OrderReport told(const std::vector<double>& metres) {
    return find_order(with_distances(metres), {}, {}, {});
}

}  // namespace

TEST_CASE("frames in order are in order, both ways round, and nothing is suggested", "[order]") {
    auto order = rising();
    if (GENERATE(false, true)) std::reverse(order.begin(), order.end());
    const OrderReport report = strips().report(order).order;
    CHECK(report.order == FocusOrder::near_to_far);
    CHECK_FALSE(report.direction_known);
    CHECK_FALSE(report.needs_repair());
    for (int i = 1; i < kFrames; ++i) CHECK(report.depth[std::size_t(i)] > report.depth[std::size_t(i) - 1]);
}

TEST_CASE("frames in any disorder are put in order again, whatever their names", "[order]") {
    auto order = rising();
    std::shuffle(order.begin(), order.end(), std::mt19937(GENERATE(1u, 2u, 3u, 4u, 5u)));
    const OrderReport report = strips().report(order).order;
    CHECK(report.order == FocusOrder::mixed);
    auto found = repaired(report, order);
    if (found.front() > found.back()) std::reverse(found.begin(), found.end());
    CHECK(found == rising());
}

TEST_CASE("two passes, there and back, and a part turned round are told for what they are", "[order]") {
    std::vector<int> twice, there_and_back, part = rising();
    for (int i = 0; i < kFrames; i += 2) twice.push_back(i), there_and_back.push_back(i);
    for (int i = 1; i < kFrames; i += 2) twice.push_back(i);
    for (int i = kFrames - 1; i > 0; i -= 2) there_and_back.push_back(i);
    std::reverse(part.begin() + 5, part.begin() + 11);

    const OrderReport one = strips().report(twice).order, two = strips().report(there_and_back).order,
                      three = strips().report(part).order;
    CHECK(one.order == FocusOrder::two_passes);
    CHECK(one.first == kFrames / 2);
    CHECK(repaired(one, twice) == rising());
    CHECK(two.order == FocusOrder::two_passes);
    CHECK(repaired(two, there_and_back) == rising());
    CHECK(three.order == FocusOrder::reversed_part);
    CHECK(three.first == 5);
    CHECK(three.last == 10);
    CHECK(repaired(three, part) == rising());
    CHECK_THAT(three.reason, Catch::Contains("frames 6 to 11"));
}

TEST_CASE("disorder raises no other alarm: faults and gaps are reported along the repaired order",
          "[order]") {
    auto order = rising();
    std::shuffle(order.begin(), order.end(), std::mt19937(7));
    const SeriesReport report = strips().report(order);
    for (const auto& flags : report.whole.flags) CHECK(flags.empty());
    CHECK(report.whole.gaps.empty());
    // Without one frame there is one gap, between its true neighbours.
    auto gapped = order;
    gapped.erase(std::find(gapped.begin(), gapped.end(), 8));
    const SeriesReport with_gap = strips().report(gapped);
    REQUIRE(with_gap.whole.gaps.size() == 1);
    const auto frame = [&](int place) { return gapped[std::size_t(place)]; };
    const FocusGap& gap = with_gap.whole.gaps[0];
    CHECK(std::min(frame(gap.after), frame(gap.before)) == 7);
    CHECK(std::max(frame(gap.after), frame(gap.before)) == 9);
}

TEST_CASE("focus distances tell order and direction where every frame has one", "[order]") {
    CHECK(told({0.30, 0.31, 0.32, 0.33}).order == FocusOrder::near_to_far);
    CHECK(told({0.30, 0.31, 0.32, 0.33}).depth_in_mm);
    CHECK(told({0.30, 0.31, 0.32, 0.33}).depth[2] == Approx(320));
    CHECK(told({0.33, 0.32, 0.31, 0.30}).order == FocusOrder::far_to_near);
    CHECK(told({0.33, 0.32, 0.31, 0.30}).direction_known);
    const OrderReport twice = told({0.30, 0.32, 0.34, 0.36, 0.31, 0.33, 0.35, 0.37});
    CHECK(twice.order == FocusOrder::two_passes);
    CHECK(twice.near_to_far == std::vector<int>{0, 4, 1, 5, 2, 6, 3, 7});
    CHECK(told({0.30, 0.34, 0.31, 0.37, 0.33, 0.35, 0.36, 0.32}).order == FocusOrder::mixed);
}

TEST_CASE("files that were turned round already ran from far to near and need nothing more", "[order]") {
    Series series = with_distances({0.30, 0.31, 0.32, 0.33});
    series.turned_round = true;
    const OrderReport report = find_order(series, {}, {}, {});
    CHECK(report.order == FocusOrder::far_to_near);
    CHECK_FALSE(report.needs_repair());
}

TEST_CASE("along a rail the picture's growth tells which end is near", "[order]") {
    CHECK(strips().report(rising(), 0.03).order.order == FocusOrder::near_to_far);
    CHECK(strips().report(rising(), 0.03).order.direction_known);
    const OrderReport backwards = strips().report(rising(), -0.03).order;
    CHECK(backwards.order == FocusOrder::far_to_near);
    CHECK(backwards.near_to_far.front() == kFrames - 1);
    // Too little growth tells nothing.
    CHECK_FALSE(strips().report(rising(), 0.001).order.direction_known);
}

TEST_CASE("growth along a series is measured from small pictures", "[order]") {
    const test::Texture texture(5, 60, 6, 60);
    std::vector<cv::Mat3b> views;
    for (int i = 0; i < 9; ++i) {
        const double scale = std::exp(0.005 * i);
        cv::Mat3b view(160, 240);
        for (int y = 0; y < view.rows; ++y)
            for (int x = 0; x < view.cols; ++x)
                view(y, x) = cv::Vec3b::all(cv::saturate_cast<uchar>(
                    255 * texture.at((x - 119.5) / scale + 120, (y - 79.5) / scale + 80)));
        views.push_back(view);
    }
    views[4] = cv::Mat3b();  // unreadable
    const auto growth = growth_along(register_previews(views, {}));
    REQUIRE(growth);
    CHECK_THAT(*growth, Catch::Matchers::WithinAbs(0.04, 0.002));
    CHECK_FALSE(growth_along(register_previews({views[0]}, {})));
}

TEST_CASE("too few frames, or nothing sharp, say that the order is unknown", "[order]") {
    CHECK(strips().report({0, 1}).order.order == FocusOrder::unknown);
    const OrderReport none = find_order(with_distances({}), {}, {}, {});
    CHECK(none.order == FocusOrder::unknown);
    CHECK_FALSE(none.needs_repair());
}
