// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/picture/warped_frame.h"

#include <catch2/catch.hpp>
#include <cmath>

#include "core/files/picture_file.h"
#include "core/picture/luma.h"
#include "core/work/for_rows.h"
#include "tests/support/textured.h"

using namespace moorhaze;
using moorhaze::test::picture_from;

namespace {

/// Turned, larger, in slight perspective, levelled; the target reaches beyond the frame on the left.
WarpPlan some_plan() {
    WarpPlan plan{cv::Matx33d(1.02, 0.03, 6.3, -0.03, 1.02, 9.2, 1e-5, 0, 1), {-3, 7, 301, 190}};
    plan.gains = {1.1, 0.95, 1.2};
    plan.vignetting = {0.15, 0.03};
    return plan;
}

/// Colours that change slowly enough for a quarter of the size to hold them.
Picture smooth_picture(cv::Size size) {
    const test::Texture texture(5, 40, 60, 160);
    Picture picture = picture_from(size, [&](int x, int y) { return 0.25 + 0.5 * texture.at(x, y); });
    for (auto& pixel : cv::Mat_<cv::Vec3w>(picture.pixels)) pixel[2] = ushort(pixel[2] / 2);
    return picture;
}

}  // namespace

TEST_CASE("a frame laid over block by block is the frame laid over as a whole", "[picture][warp]") {
    const test::Texture texture(31, 60, 7, 60);
    const Picture frame =
        picture_from({320, 210}, [&](int x, int y) { return 0.2 + 0.6 * texture.at(x, y); });
    const ToneCurve curve{ColourProfile{}};
    const WarpedFrame laid(frame, curve, some_plan());
    const LinearFrame whole = laid.all({});
    CHECK(whole.covered == laid.covered());
    CHECK_FALSE(laid.covers_all());
    for (const cv::Rect block :
         {cv::Rect(0, 0, 64, 64), cv::Rect(117, 33, 51, 77), cv::Rect(290, 180, 11, 10)})
        // Positions go evenly between the ends of pieces of a row, which lie elsewhere.
        CHECK(cv::norm(laid.light(block), whole.pixels(block), cv::NORM_INF) < 5e-4);
    // Beyond the target the frame goes on where it has pixels.
    const cv::Mat3f wider = laid.light({-8, 40, 24, 16});
    CHECK(cv::norm(wider(cv::Rect(8, 0, 16, 16)), whole.pixels(cv::Rect(0, 40, 16, 16)), cv::NORM_INF) <
          5e-4);
}

TEST_CASE("half and quarter of a frame lie where its pixels lie, levelled like them", "[picture][warp]") {
    for (const int bits : {16, 8})
        for (const cv::Size size : {cv::Size(320, 210), cv::Size(317, 207)}) {
            const Picture frame = with_bits(smooth_picture(size), bits);
            const ToneCurve curve{ColourProfile{}};
            WarpPlan plan = some_plan();
            plan.target = {12, 16, 281, 170};
            const WarpedFrame laid(frame, curve, plan);
            REQUIRE(laid.covers_all());
            const LinearFrame whole = laid.all({});
            const cv::Mat3f quarter = laid.downsampled_light({});
            REQUIRE(quarter.size() == cv::Size(71, 43));
            const DownsampledFrame half = laid.downsampled_luma({});
            REQUIRE(half.luma.size() == cv::Size(141, 85));
            const cv::Mat1f luma = perceptual_luma(whole.pixels, {});
            double most_quarter = 0, most_half = 0;
            for (int y = 0; y < whole.pixels.rows; y += 4)
                for (int x = 0; x < whole.pixels.cols; x += 4)
                    for (int c = 0; c < 3; ++c)
                        most_quarter = std::max(
                            most_quarter, double(std::abs(quarter(y / 4, x / 4)[c] - whole.pixels(y, x)[c])));
            for (int y = 0; y < whole.pixels.rows; y += 2)
                for (int x = 0; x < whole.pixels.cols; x += 2)
                    most_half = std::max(most_half, double(std::abs(half.luma(y / 2, x / 2) - luma(y, x))));
            // Waves of 60 px lose two or three thousandths when they are downsampled by 2 twice; half a pixel
            // beside, they would be off by 0.02.
            CHECK(most_quarter < 0.008);
            CHECK(most_half < 0.004);
        }
}

TEST_CASE("fine energy is that of what a half cannot hold, and grows with the square of light", "[picture]") {
    const ToneCurve curve{ColourProfile{}};
    const cv::Size size(200, 120);
    const auto energy_of = [&](const Picture& picture, double gain) {
        WarpPlan plan{cv::Matx33d::eye(), {0, 0, size.width, size.height}};
        plan.gains = cv::Vec3d::all(gain);
        const DownsampledFrame half = WarpedFrame(picture, curve, plan).downsampled_luma({});
        return cv::mean(half.fine_energy(cv::Rect(20, 20, 60, 20)))[0];
    };
    const Picture even = picture_from(size, [](int, int) { return 0.5; }),
                  slow = picture_from(size, [](int x, int) { return 0.5 + 0.2 * std::sin(x / 16.0); }),
                  board = picture_from(size, [](int x, int y) { return (x + y) % 2 ? 0.55 : 0.45; });
    CHECK(energy_of(even, 1) < 1e-10);
    CHECK(energy_of(slow, 1) < 1e-3 * energy_of(board, 1));
    // A chequered board of single pixels is all gone from a half: what is left is half the step, squared.
    const auto root = [&](double encoded) {
        return std::sqrt(curve.linear_of_16(0)[int(std::lround(encoded * 65535))]);
    };
    CHECK(energy_of(board, 1) == Approx(std::pow((root(0.55) - root(0.45)) / 2, 2)).epsilon(0.01));
    CHECK(energy_of(board, 1.5) == Approx(1.5 * energy_of(board, 1)).epsilon(0.001));
}

TEST_CASE("a warped frame's half and quarter don't depend on the number of threads", "[picture][warp]") {
    const test::Texture texture(3, 60, 5, 60);
    const Picture frame =
        picture_from({320, 210}, [&](int x, int y) { return 0.2 + 0.6 * texture.at(x, y); });
    const WarpedFrame laid(frame, ToneCurve{ColourProfile{}}, some_plan());
    const cv::Mat3f quarter = laid.downsampled_light({});
    const DownsampledFrame half = laid.downsampled_luma({});
    const ThreadLimit one(1);
    CHECK(cv::norm(laid.downsampled_light({}), quarter, cv::NORM_INF) == 0);
    CHECK(cv::norm(laid.downsampled_luma({}).luma, half.luma, cv::NORM_INF) == 0);
    CHECK(cv::norm(laid.downsampled_luma({}).fine_energy, half.fine_energy, cv::NORM_INF) == 0);
}
