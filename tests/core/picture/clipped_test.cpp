// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/picture/clipped.h"

#include <catch2/catch.hpp>
#include <opencv2/imgproc.hpp>

#include "core/picture/warped_frame.h"

using namespace moorhaze;

namespace {

/// Mid grey, full in the rectangles.
Picture with_full(cv::Size size, int depth, const std::vector<cv::Rect>& rectangles,
                  const cv::Vec3d& full = {1, 1, 1}) {
    const double scale = depth == CV_8U ? 255 : 65535;
    Picture picture{cv::Mat(size, CV_MAKETYPE(depth, 3), cv::Scalar::all(0.5 * scale)), {}, {}};
    for (const cv::Rect& own : rectangles)
        picture.pixels(own).setTo(cv::Scalar(full[0] * scale, full[1] * scale, full[2] * scale));
    return picture;
}

cv::Mat1b drawn(const std::vector<ClippedRun>& runs, cv::Size half) {
    cv::Mat1b plane(half, uchar(0));
    for (const ClippedRun& run : runs) plane(cv::Rect(run.begin, run.y, run.end - run.begin, 1)) = 255;
    return plane;
}

}  // namespace

TEST_CASE("places are clipped where all of their pixels are, in one colour or more", "[picture][clipped]") {
    const cv::Size size(301, 77), half(151, 39);  // odd: the last place is one pixel wide and high
    for (const int depth : {CV_8U, CV_16U})
        for (const cv::Vec3d& full : {cv::Vec3d(1, 1, 1), {1, 0.3, 0.2}, {0.1, 0.2, 1}}) {
            const Picture picture = with_full(
                size, depth, {{20, 10, 40, 8}, {101, 31, 2, 2}, {200, 40, 1, 1}, {280, 60, 21, 17}}, full);
            const cv::Mat1b clipped = drawn(clipped_runs(picture, kClippedLevel, {}), half);
            cv::Mat1b expected(half, uchar(0));
            expected(cv::Rect(10, 5, 20, 4)) =
                255;  // (101, 31) fills no place, (200, 40) is one pixel of four
            expected(cv::Rect(140, 30, 11, 9)) = 255;
            CHECK(cv::norm(clipped, expected, cv::NORM_L1) == 0);
        }
}

TEST_CASE("what is nearly full is clipped at a lower level only", "[picture][clipped]") {
    const Picture picture = with_full({64, 64}, CV_8U, {{16, 16, 20, 20}}, {0.93, 0.93, 0.93});
    CHECK(clipped_runs(picture, kClippedLevel, {}).empty());
    CHECK(cv::countNonZero(drawn(clipped_runs(picture, 0.9, {}), {32, 32})) == 100);
    // Different colours of neighbouring pixels make no clipped place.
    Picture mixed = with_full({8, 8}, CV_8U, {});
    for (int y = 0; y < 8; ++y)
        for (int x = 0; x < 8; ++x) mixed.pixels.at<cv::Vec3b>(y, x)[(x + y) % 2] = 255;
    CHECK(clipped_runs(mixed, kClippedLevel, {}).empty());
}

TEST_CASE("clipped places lie where the frame is laid", "[picture][clipped]") {
    const Picture picture = with_full({400, 300}, CV_8U, {{100, 80, 40, 30}});
    const ToneCurve curve(picture.profile);
    const PixelRect target{20, 10, 360, 280};
    for (const double scale : {0.94, 1.0, 1.07})
        for (const double turn_deg : {0.0, 1.5}) {
            const double c = scale * std::cos(turn_deg * CV_PI / 180),
                         s = scale * std::sin(turn_deg * CV_PI / 180);
            const cv::Matx33d lie(c, -s, 6.5, s, c, -3.25, 0, 0, 1);
            const WarpedFrame frame(picture, curve, {lie, target});
            const cv::Mat1b clipped = drawn(frame.clipped(kClippedLevel, {}), {180, 140});
            const cv::Moments seen = cv::moments(clipped, true);
            // The middle of the pixels 100..139, 80..109, laid; places hold two pixels of the target.
            const cv::Vec3d middle = lie * cv::Vec3d(119.5, 94.5, 1);
            CHECK(seen.m10 / seen.m00 == Approx((middle[0] - 20 - 0.5) / 2).margin(0.6));
            CHECK(seen.m01 / seen.m00 == Approx((middle[1] - 10 - 0.5) / 2).margin(0.6));
            CHECK(seen.m00 == Approx(20 * 15 * scale * scale).epsilon(0.12));
        }
}
