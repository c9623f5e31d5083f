// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/picture/blur.h"

#include <catch2/catch.hpp>
#include <cmath>

using namespace moorhaze;

namespace {

/// Slow plain twin: the sum over both directions at once.
float plain_blur_at(const cv::Mat1f& picture, int x, int y, double sigma) {
    const int reach = int(std::ceil(3 * sigma));
    double sum = 0, total = 0;
    for (int v = -reach; v <= reach; ++v)
        for (int u = -reach; u <= reach; ++u) {
            const double weight = std::exp(-(u * u + v * v) / (2 * sigma * sigma));
            sum += weight * double(picture(mirrored(y + v, picture.rows), mirrored(x + u, picture.cols)));
            total += weight;
        }
    return float(sum / total);
}

cv::Mat1f uneven(int rows, int cols) {
    cv::Mat1f picture(rows, cols);
    for (int y = 0; y < rows; ++y)
        for (int x = 0; x < cols; ++x) picture(y, x) = float(std::sin(x * 1.7 + y * y * 0.31) + 0.01 * x);
    return picture;
}

}  // namespace

TEST_CASE("a blur of an even picture changes nothing", "[picture]") {
    const cv::Mat1f picture(31, 17, 0.37f);
    const cv::Mat1f blurred = gaussian_blur(picture, 2.5, {});
    for (const float value : blurred) CHECK(value == Approx(0.37).margin(1e-6));
}

TEST_CASE("the blur agrees with the plain double sum, borders included", "[picture]") {
    for (const double sigma : {0.8, 2.0, 4.3}) {
        const cv::Mat1f picture = uneven(23, 37);
        const cv::Mat1f blurred = gaussian_blur(picture, sigma, {});
        for (const cv::Point at : {cv::Point(0, 0), cv::Point(18, 11), cv::Point(36, 22), cv::Point(1, 21)})
            CHECK(blurred(at) ==
                  Approx(plain_blur_at(picture, at.x, at.y, sigma)).margin(2e-5));  // float rounding
    }
}

TEST_CASE("pictures smaller than the kernel are blurred too", "[picture]") {
    const cv::Mat1f picture = uneven(2, 1);
    const cv::Mat1f blurred = gaussian_blur(picture, 5, {});
    CHECK(blurred(0, 0) == Approx(plain_blur_at(picture, 0, 0, 5)).margin(1e-5));
}

TEST_CASE("a negative blur is refused", "[picture]") {
    CHECK_THROWS_AS(gaussian_blur(cv::Mat1f(3, 3, 0.0f), -1, {}), BadParameter);
}

TEST_CASE("mirroring does not repeat the edge and holds for any distance", "[picture]") {
    CHECK(mirrored(-1, 5) == 1);
    CHECK(mirrored(5, 5) == 3);
    CHECK(mirrored(-9, 5) == 1);
    CHECK(mirrored(7, 1) == 0);
}
