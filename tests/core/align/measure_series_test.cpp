// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/align/measure_series.h"

#include <catch2/catch.hpp>
#include <cmath>
#include <functional>

#include "core/work/for_rows.h"
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
    const SeriesGeometry found = register_series(series, 3, {});
    std::vector<double> errors;
    for (std::size_t i = 0; i < planted.size(); ++i) {
        REQUIRE(found.frames[i].registered);
        errors.push_back(worst_px(found.frames[i].matrix, planted[i], size));
        INFO("frame " << i << " off by " << errors.back());
        CHECK(errors.back() < 0.35);
    }
    CHECK(found.frames[3].matrix == cv::Matx33d::eye());
}

namespace {

/// Two or more frames of one texture as the maps to the reference lay them, sharp everywhere.
Series textured_series(const test::Scratch& scratch, cv::Size size,
                       const std::vector<cv::Matx33d>& to_reference,
                       const std::function<double(double, double)>& texture,
                       const std::vector<double>& gains = {}) {
    std::vector<Picture> pictures;
    const ToneCurve srgb{ColourProfile{}};
    for (std::size_t i = 0; i < to_reference.size(); ++i)
        pictures.push_back(test::picture_from(size, [&](int x, int y) {
            const cv::Point2d place = mapped(to_reference[i], x, y);
            const double value = texture(place.x, place.y);
            if (gains.empty()) return value;
            // `value` is meant on a square-root scale.
            return double(srgb.encode(float(gains[i] * value * value), 0));
        }));
    return test::write_series(scratch, pictures);
}

}  // namespace

TEST_CASE(
    "two frames that lie far apart are registered: a tenth of the width, five degrees, a quarter in scale",
    "[align]") {
    const cv::Size size(600, 400);
    const test::Texture texture(5, 90, 6, 200);
    struct Far {
        const char* name;
        cv::Matx33d map;
    };
    const Far all[] = {{"shift", similarity(size, 1, 0, 60, -35)},
                       {"rotation", similarity(size, 1, 5, 4, -6)},
                       {"larger", similarity(size, 1.25, 0, 5, 3)},
                       {"smaller", similarity(size, 0.8, 0, -5, 3)},
                       {"all of it", similarity(size, 1.1, -3, 30, 20)}};
    for (const Far& far : all) {
        const test::Scratch scratch;
        const Series series = textured_series(scratch, size, {far.map, cv::Matx33d::eye()},
                                              [&](double x, double y) { return texture.at(x, y); });
        const SeriesGeometry found = register_series(series, 1, {});
        INFO(far.name);
        REQUIRE(found.frames[0].registered);
        CHECK(worst_px(found.frames[0].matrix, far.map, size) < 0.1);
    }
}

TEST_CASE("a texture that repeats is not taken a period off", "[align]") {
    const cv::Size size(480, 320);
    const std::vector<cv::Matx33d> maps{similarity(size, 0.99, 0.1, 2, -1), similarity(size, 0.995, 0, -1, 2),
                                        cv::Matx33d::eye(), similarity(size, 1.005, -0.1, 2, 1)};
    // The pattern comes back every 12 px along its diagonals; neighbours lie less than half of that apart.
    const test::Scratch scratch;
    const Series series = textured_series(scratch, size, maps, [](double x, double y) {
        return 0.5 + 0.15 * std::sin(x * 0.26) * std::sin(y * 0.26) + 0.1 * std::sin(x * 0.52) +
               0.1 * std::cos(y * 0.52);
    });
    const SeriesGeometry found = register_series(series, 2, {});
    for (std::size_t i = 0; i < maps.size(); ++i) {
        REQUIRE(found.frames[i].registered);
        CHECK(worst_px(found.frames[i].matrix, maps[i], size) < 0.1);
    }
}

TEST_CASE("frames a stop darker and lighter are registered and levelled", "[align]") {
    const cv::Size size(480, 320);
    const test::Texture texture(8, 80, 6, 120);
    const std::vector<cv::Matx33d> maps{similarity(size, 0.99, 0.2, 8, -3), cv::Matx33d::eye(),
                                        similarity(size, 1.01, -0.3, -6, 4)};
    const std::vector<double> gains{0.5, 1, 2};
    const test::Scratch scratch;
    const Series series = textured_series(
        scratch, size, maps, [&](double x, double y) { return 0.72 * texture.at(x, y); }, gains);
    const SeriesGeometry found = register_series(series, 1, {});
    for (std::size_t i = 0; i < 3; ++i) {
        REQUIRE(found.frames[i].registered);
        CHECK(worst_px(found.frames[i].matrix, maps[i], size) < 0.1);
        CHECK(found.frames[i].gain() * gains[i] == Approx(1).epsilon(0.01));
    }
}

TEST_CASE("slight perspective is found where the frames differ in it", "[align]") {
    const cv::Size size(600, 400);
    const test::Texture texture(9, 90, 6, 150);
    const HomographyFrame frame(size);
    std::vector<cv::Matx33d> maps;
    for (int i = 0; i < 6; ++i)
        maps.push_back(i == 3 ? cv::Matx33d::eye()
                              : frame.matrix(HomographyParts(
                                    0.01 * std::sin(2.0 * i), 0.01 * std::cos(3.0 * i), 0.003 * (i - 3), 0, 0,
                                    0, 0.004 * std::sin(5.0 * i), 0.004 * std::cos(4.0 * i))));
    const test::Scratch scratch;
    const Series series =
        textured_series(scratch, size, maps, [&](double x, double y) { return texture.at(x, y); });
    const SeriesGeometry found = register_series(series, 3, {});
    CHECK(found.model == PlaneModel::perspective);
    for (std::size_t i = 0; i < maps.size(); ++i) {
        INFO("frame " << i);
        CHECK(worst_px(found.frames[i].matrix, maps[i], size) < 0.15);
    }
}

TEST_CASE("the same frames give the same geometry with one thread and with several", "[align]") {
    const test::Scratch scratch;
    const Series series = test::write_series(scratch, test::strip_series({360, 240}, 5));
    const SeriesGeometry many = register_series(series, 2, {});
    const ThreadLimit one(1);
    CHECK(register_series(series, 2, {}) == many);
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
    const SeriesGeometry found = register_series(test::write_series(scratch, pictures), 2, {});
    for (int i = 0; i < 5; ++i)
        CHECK(found.frames[std::size_t(i)].gain() * gains[i] == Approx(1).margin(0.01));
}

TEST_CASE("a frame that shows something else is named, the others are aligned", "[align]") {
    const cv::Size size(360, 240);
    auto pictures = test::strip_series(size, 6);
    pictures[2] = test::picture_from(size, [](int, int) { return 0.02; });
    const test::Scratch scratch;
    const SeriesGeometry found = register_series(test::write_series(scratch, pictures), 4, {});
    CHECK_FALSE(found.frames[2].registered);
    CHECK_THAT(found.frames[2].problem,
               Catch::Contains("frame-03.tif") && Catch::Contains("too little detail"));
    for (const int i : {0, 1, 3, 5}) CHECK(found.frames[std::size_t(i)].registered);
}

TEST_CASE("a single frame and a frame that is left out need no measuring", "[align]") {
    const test::Scratch scratch;
    Series series = test::write_series(scratch, test::strip_series({200, 150}, 2));
    series.frames[1].used = false;
    const SeriesGeometry found = register_series(series, 0, {});
    CHECK(found.frames[0].matrix == cv::Matx33d::eye());
    CHECK_FALSE(found.frames[1].registered);
    CHECK_THROWS_AS(register_series(series, 7, {}), BadParameter);
}

TEST_CASE("a stop request ends the alignment", "[align]") {
    const test::Scratch scratch;
    const Series series = test::write_series(scratch, test::strip_series({200, 150}, 3));
    std::stop_source stop;
    stop.request_stop();
    CHECK_THROWS_AS(register_series(series, 1, {stop.get_token(), {}}), Cancelled);
}

TEST_CASE("the rail is told by focus distances that stay", "[align]") {
    CHECK(travel_from_metadata(test::open_demo("brass-wheels").series) == Travel::rail);
    CHECK(travel_from_metadata(test::open_demo("lichen-cups").series) == Travel::refocused);
}
