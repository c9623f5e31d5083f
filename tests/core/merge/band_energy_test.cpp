// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/band_energy.h"

#include <catch2/catch.hpp>
#include <opencv2/imgproc.hpp>

#include "core/picture/blur.h"
#include "core/picture/pyramid.h"
#include "core/work/for_rows.h"
#include "tests/support/textured.h"

using namespace moorhaze;

namespace {

cv::Mat1f textured(cv::Size size) {
    const test::Texture texture(8, 50, 4, 40);
    cv::Mat1f picture(size);
    for (int y = 0; y < size.height; ++y)
        for (int x = 0; x < size.width; ++x) picture(y, x) = float(texture.at(x, y));
    return picture;
}

}  // namespace

TEST_CASE("rows doubled one by one are those of the whole upsampled picture", "[merge][pyramid]") {
    for (const cv::Size size : {cv::Size(31, 17), {32, 18}, {2, 3}, {1, 1}}) {
        const cv::Mat1f coarse = pyramid_down(textured(size), {});
        const cv::Mat1f whole = pyramid_up(coarse, size, {});
        const UpsampledRows rows(coarse, size);
        std::vector<float> row(std::size_t(size.width)), scratch(std::size_t(coarse.cols));
        for (int y = 0; y < size.height; ++y) {
            rows.row(y, row.data(), scratch.data());
            for (int x = 0; x < size.width; ++x) REQUIRE(row[std::size_t(x)] == whole(y, x));
        }
    }
}

TEST_CASE("energy in strips is the blurred square of the detail, whatever the size and the threads",
          "[merge]") {
    // Sizes below, at and above a strip, odd and even.
    for (const cv::Size size : {cv::Size(40, 31), {41, 32}, {33, 65}, {70, 100}, {9, 3}})
        for (const double sigma : {0.7, 1.0, 2.5}) {
            const cv::Mat1f picture = textured(size), coarse = pyramid_down(picture, {});
            const cv::Mat1f detail = picture - cv::Mat1f(pyramid_up(coarse, size, {}));
            const cv::Mat1f expected = gaussian_blur(detail.mul(detail), sigma, {});
            const cv::Mat1f energy = band_energy(picture, coarse, sigma, {});
            CHECK(cv::norm(energy, expected, cv::NORM_INF) < 1e-6 * cv::norm(expected, cv::NORM_INF) + 1e-9);
            const ThreadLimit limit(1);
            CHECK(cv::norm(band_energy(picture, coarse, sigma, {}), energy, cv::NORM_INF) == 0);
        }
    CHECK_THROWS_AS(band_energy(textured({8, 8}), cv::Mat1f(4, 4, 0.f), 0, {}), BadParameter);
}

TEST_CASE("the quiet energy is what the given share of places stays below", "[merge]") {
    cv::Mat1f ramp(100, 100);
    for (int i = 0; i < 10000; ++i) ramp(i / 100, i % 100) = float(9999 - i);
    CHECK(quiet_energy(ramp, 0.1) == Approx(1000).margin(2));
    CHECK(quiet_energy(ramp, 0.5) == Approx(5000).margin(2));
    CHECK(quiet_energy(cv::Mat1f(300, 300, 0.25f), 0.16) == 0.25f);
}
