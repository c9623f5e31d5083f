#include "core/align/register_series.h"

#include <catch2/catch.hpp>
#include <cmath>

#include "tests/support/series_files.h"
#include "tests/support/textured.h"

using namespace moorhaze;

namespace {

/// Greatest distance between two geometries over the corners and a 9×9 grid.
double worst_px(const cv::Matx33d& one, const cv::Matx33d& other, cv::Size size) {
    double worst = 0;
    for (int i = 0; i < 9; ++i)
        for (int j = 0; j < 9; ++j) {
            const cv::Vec3d place((size.width - 1) * i / 8.0, (size.height - 1) * j / 8.0, 1);
            const cv::Vec3d a = one * place, b = other * place;
            worst = std::max(worst, std::hypot(a[0] / a[2] - b[0] / b[2], a[1] / a[2] - b[1] / b[2]));
        }
    return worst;
}

/// About the centre: scale, rotation, shift. Frame pixels to reference pixels.
cv::Matx33d similarity(cv::Size size, double scale, double turn_deg, double right, double down) {
    const double c = scale * std::cos(turn_deg / 57.29577951), s = scale * std::sin(turn_deg / 57.29577951);
    const double x = (size.width - 1) / 2.0, y = (size.height - 1) / 2.0;
    return {c, -s, right + x - c * x + s * y, s, c, down + y - s * x - c * y, 0, 0, 1};
}

}  // namespace

TEST_CASE("planted shift, rotation and scale are found", "[align]") {
    const cv::Size size(480, 320);
    const std::vector<cv::Matx33d> planted = {
        similarity(size, 0.985, 0.4, 3.3, -2.1),   similarity(size, 0.99, -0.2, -1.7, 4.4),
        similarity(size, 0.995, 0.3, 6.1, 1.2),    cv::Matx33d::eye(),
        similarity(size, 1.006, -0.5, -2.5, -3.4), similarity(size, 1.011, 0.1, 4.0, 0.6),
        similarity(size, 1.017, -0.3, -5.2, 2.8)};
    const auto pictures = test::strip_series(size, 7, [&](int i, double x, double y) {
        const cv::Vec3d place = planted[std::size_t(i)] * cv::Vec3d(x, y, 1);
        return cv::Point2d(place[0] / place[2], place[1] / place[2]);
    });
    const test::Scratch scratch;
    const Series series = test::write_series(scratch, pictures);
    const SeriesGeometry found = register_series(series, 3, Travel::refocused, {});
    std::vector<double> errors;
    for (std::size_t i = 0; i < planted.size(); ++i) {
        REQUIRE(found.frames[i].registered);
        errors.push_back(worst_px(found.frames[i].matrix, planted[i], size));
        INFO("frame " << i << " off by " << errors.back());
        CHECK(errors.back() < 0.35);
    }
    CHECK(found.frames[3].matrix == cv::Matx33d::eye());
}

TEST_CASE("planted brightness is found", "[align]") {
    const cv::Size size(360, 240);
    auto pictures = test::strip_series(size, 5);
    const double gains[] = {1.06, 0.93, 1.0, 1.12, 0.9};
    for (int i = 0; i < 5; ++i) {
        cv::Mat3f light = to_linear(pictures[std::size_t(i)], ToneCurve({}));
        light *= gains[i];
        pictures[std::size_t(i)] = from_linear(light, ToneCurve({}), {});
    }
    const test::Scratch scratch;
    const SeriesGeometry found =
        register_series(test::write_series(scratch, pictures), 2, Travel::refocused, {});
    for (int i = 0; i < 5; ++i) CHECK(found.frames[std::size_t(i)].gain * gains[i] == Approx(1).margin(0.01));
}

TEST_CASE("a frame that shows something else is named, the others are aligned", "[align]") {
    const cv::Size size(360, 240);
    auto pictures = test::strip_series(size, 6);
    pictures[2] = test::picture_from(size, [](int, int) { return 0.02; });
    const test::Scratch scratch;
    const SeriesGeometry found =
        register_series(test::write_series(scratch, pictures), 4, Travel::refocused, {});
    CHECK_FALSE(found.frames[2].registered);
    CHECK_THAT(found.frames[2].problem,
               Catch::Contains("frame-03.tif") && Catch::Contains("too little detail"));
    for (const int i : {0, 1, 3, 5}) CHECK(found.frames[std::size_t(i)].registered);
}

TEST_CASE("a single frame and a frame that is left out need no measuring", "[align]") {
    const test::Scratch scratch;
    Series series = test::write_series(scratch, test::strip_series({200, 150}, 2));
    series.frames[1].used = false;
    const SeriesGeometry found = register_series(series, 0, Travel::refocused, {});
    CHECK(found.frames[0].matrix == cv::Matx33d::eye());
    CHECK_FALSE(found.frames[1].registered);
    CHECK_THROWS_AS(register_series(series, 7, Travel::refocused, {}), BadParameter);
}

TEST_CASE("a stop request ends the alignment", "[align]") {
    const test::Scratch scratch;
    const Series series = test::write_series(scratch, test::strip_series({200, 150}, 3));
    std::stop_source stop;
    stop.request_stop();
    CHECK_THROWS_AS(register_series(series, 1, Travel::refocused, {stop.get_token(), {}}), Cancelled);
}

TEST_CASE("the rail is told by focus distances that stay", "[align]") {
    CHECK(travel_from_metadata(test::open_demo("brass-wheels").series) == Travel::rail);
    CHECK(travel_from_metadata(test::open_demo("lichen-cups").series) == Travel::refocused);
}
