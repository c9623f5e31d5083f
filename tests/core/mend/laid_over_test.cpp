// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mend/laid_over.h"

#include <catch2/catch.hpp>
#include <opencv2/imgproc.hpp>

#include "tests/support/textured.h"

using namespace moorhaze;

namespace {

const cv::Size kFrame(420, 300);
const PixelRect kKept(12, 8, 396, 280);

const test::Texture& texture() {
    static const test::Texture own(21, 90, 5, 60);
    return own;
}

double light_at(double x, double y) {
    return texture().at(x, y);
}

/// A merge of the texture, reference pixel (x, y) showing its place (x, y).
const MergeResult& merge() {
    static const MergeResult own = [] {
        MergeResult result;
        result.picture =
            test::picture_from(kKept.size(), [](int x, int y) { return light_at(x + kKept.x, y + kKept.y); });
        result.area = kKept;
        result.method = "depth";
        result.depth = cv::Mat1f(kKept.size());
        for (int y = 0; y < kKept.height; ++y)
            for (int x = 0; x < kKept.width; ++x) result.depth(y, x) = float(1 + (x + y) * 0.01);
        result.source = cv::Mat1w(kKept.size(), ushort(3));
        result.made_by = cv::Mat1b(kKept.size(), uchar(MadeBy::depth_map));
        return result;
    }();
    return own;
}

/// A tone that another hand gave it.
double toned(double value) {
    return 0.1 + 0.7 * value * value;
}

double worst(const LaidOver& laid, double (*tone)(double)) {
    double most = 0;
    const int border = 6;
    for (int y = border; y < laid.result.area.height - border; ++y)
        for (int x = border; x < laid.result.area.width - border; ++x)
            most = std::max(most, std::abs(laid.result.picture.pixels.at<cv::Vec3w>(y, x)[1] / 65535.0 -
                                           tone(light_at(x + laid.result.area.x, y + laid.result.area.y))));
    return most;
}

}  // namespace

TEST_CASE("a picture that fits keeps its very pixels, with the depths of the merge", "[mend]") {
    const Picture outside = test::picture_from(
        kKept.size(), [](int x, int y) { return toned(light_at(x + kKept.x, y + kKept.y)); });
    const LaidOver laid = laid_over(outside, merge(), kFrame, {});
    CHECK(laid.moved_px == 0);
    CHECK(laid.result.area == kKept);
    CHECK(cv::norm(laid.result.picture.pixels, outside.pixels, cv::NORM_INF) == 0);
    CHECK(cv::norm(laid.result.depth, merge().depth, cv::NORM_INF) == 0);
    CHECK(cv::norm(laid.result.source, merge().source, cv::NORM_INF) == 0);
}

TEST_CASE("one of the whole frame is cut to the merge, one of a part is found in it", "[mend]") {
    const Picture whole = test::picture_from(kFrame, [](int x, int y) { return toned(light_at(x, y)); });
    const LaidOver laid = laid_over(whole, merge(), kFrame, {});
    CHECK(laid.moved_px == 0);
    CHECK(laid.result.area == kKept);
    CHECK(cv::norm(laid.result.picture.pixels, whole.pixels(kKept), cv::NORM_INF) == 0);

    const PixelRect part(60, 40, 300, 220);
    const Picture cropped =
        test::picture_from(part.size(), [&](int x, int y) { return light_at(x + part.x, y + part.y); });
    const LaidOver found = laid_over(cropped, merge(), kFrame, {});
    CHECK(std::abs(found.result.area.x - part.x) <= 1);
    CHECK(std::abs(found.result.area.width - part.width) <= 2);
    CHECK(found.result.depth.size() == found.result.area.size());
    CHECK(found.result.depth(0, 0) ==
          merge().depth(found.result.area.y - kKept.y, found.result.area.x - kKept.x));
    CHECK(worst(found, [](double value) { return value; }) < 0.02);
}

TEST_CASE("one that was merged over another frame is moved, turned and scaled to fit", "[mend]") {
    const double scale = 1.012, turn = 0.006;
    const auto place = [&](int x, int y) {
        const double dx = x - 210, dy = y - 150;
        return cv::Point2d(214 + scale * (dx * std::cos(turn) - dy * std::sin(turn)),
                           147 + scale * (dx * std::sin(turn) + dy * std::cos(turn)));
    };
    const Picture outside = test::picture_from(kFrame, [&](int x, int y) {
        const cv::Point2d at = place(x, y);
        return toned(light_at(at.x, at.y));
    });
    const LaidOver laid = laid_over(outside, merge(), kFrame, {});
    CHECK(laid.moved_px > 3);
    CHECK(laid.result.picture.alpha.empty());
    CHECK((laid.result.area & kKept) == laid.result.area);
    CHECK(laid.result.area.area() > 0.9 * kKept.area());
    CHECK(worst(laid, toned) < 0.02);
}

TEST_CASE("a smaller copy of 8 bits in another space lies at the merge's size and colours", "[mend]") {
    Picture small =
        test::picture_from(kKept.size(), [](int x, int y) { return light_at(x + kKept.x, y + kKept.y); });
    cv::resize(small.pixels, small.pixels, {kKept.width / 2, kKept.height / 2}, 0, 0, cv::INTER_AREA);
    small.pixels.convertTo(small.pixels, CV_8U, 1 / 257.0);
    const LaidOver laid = laid_over(small, merge(), kFrame, {});
    CHECK(laid.result.picture.bits() == 16);
    CHECK(laid.result.area.area() > 0.97 * kKept.area());
    CHECK(worst(laid, [](double value) { return value; }) < 0.12);  // fine detail is gone
    cv::Mat difference;
    cv::absdiff(laid.result.picture.pixels, merge().picture.pixels(laid.result.area - kKept.tl()),
                difference);
    CHECK(cv::mean(difference)[0] / 65535 < 0.01);
}

TEST_CASE("a picture of something else, or of nothing, is not laid over", "[mend]") {
    const test::Texture other(99, 90, 5, 60);
    CHECK_THROWS_WITH(
        laid_over(test::picture_from(kKept.size(), [&](int x, int y) { return other.at(x, y); }), merge(),
                  kFrame, {}),
        Catch::Contains("does not show what the merge shows"));
    CHECK_THROWS_AS(
        laid_over(test::picture_from({40, 30}, [](int, int) { return 0.5; }), merge(), kFrame, {}),
        BadParameter);
}
