// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/focus_depth.h"

#include <catch2/catch.hpp>
#include <opencv2/imgproc.hpp>

#include "tests/support/textured.h"

using namespace moorhaze;

namespace {

constexpr int kFrames = 12;
const cv::Size kSize(240, 160);

/// A grey picture of that perceptual luma.
Picture grey_of(const cv::Mat1f& luma) {
    cv::Mat3f light(luma.size());
    for (int y = 0; y < luma.rows; ++y)
        for (int x = 0; x < luma.cols; ++x) light(y, x) = cv::Vec3f::all(luma(y, x) * luma(y, x));
    return from_linear(light, ToneCurve{ColourProfile{}}, {});
}

/// A texture at a depth of `at` frames, blurred by `per_frame` px for each frame it is off, with grain; a
/// smooth part at the right, where nothing is ever sharp.
DepthField field_of(double at, double per_frame) {
    const test::Texture texture(17, 80, 4, 40);
    cv::Mat1f sharp(kSize);
    for (int y = 0; y < kSize.height; ++y)
        for (int x = 0; x < kSize.width; ++x) sharp(y, x) = x < 170 ? float(texture.at(x, y)) : 0.5f;
    FocusDepth depth(kSize, 4);
    cv::RNG random(3);
    for (int k = 0; k < kFrames; ++k) {
        cv::Mat1f frame, grain(kSize);
        cv::GaussianBlur(sharp, frame, {0, 0}, std::max(0.05, per_frame * std::abs(k - at)));
        frame(cv::Rect(170, 0, 70, 160)) = 0.5f;
        random.fill(grain, cv::RNG::NORMAL, 0, 0.003);
        const WarpedFrame own(grey_of(frame + grain), ToneCurve{ColourProfile{}},
                              {cv::Matx33d::eye(), {{}, kSize}});
        depth.add(pyramid_bands(own.downsampled_luma({}), detail_levels(kSize), {}), {});
    }
    CHECK(depth.count() == kFrames);
    return depth.finish(0.3, 8, {});
}

/// A slanted ground from frame 1 at the left to frame 10 at the right, covered all over by soft, faint
/// texture: no place of any frame holds nothing but noise, but for those far out of focus.
double slanted_depth(int x) {
    return 1 + 9.0 * x / (kSize.width - 1);
}
DepthField field_of_soft_ground() {
    const test::Texture texture(23, 80, 9, 60);
    cv::Mat1f sharp(kSize);
    for (int y = 0; y < kSize.height; ++y)
        for (int x = 0; x < kSize.width; ++x) sharp(y, x) = 0.5f + 0.25f * (float(texture.at(x, y)) - 0.5f);
    std::vector<cv::Mat1f> blurred(1, sharp);  // by a quarter of a frame each
    for (int i = 1; i <= 4 * kFrames; ++i) {
        blurred.emplace_back();
        cv::GaussianBlur(sharp, blurred.back(), {0, 0}, 0.7 * i / 4);
    }
    FocusDepth depth(kSize, 4);
    cv::RNG random(4);
    for (int k = 0; k < kFrames; ++k) {
        cv::Mat1f frame(kSize), grain(kSize);
        for (int x = 0; x < kSize.width; ++x)
            blurred[std::size_t(std::lround(4 * std::abs(k - slanted_depth(x))))].col(x).copyTo(frame.col(x));
        random.fill(grain, cv::RNG::NORMAL, 0, 0.002);
        const WarpedFrame own(grey_of(frame + grain), ToneCurve{ColourProfile{}},
                              {cv::Matx33d::eye(), {{}, kSize}});
        depth.add(pyramid_bands(own.downsampled_luma({}), detail_levels(kSize), {}), {});
    }
    return depth.finish(0.3, 8, {});
}

}  // namespace

TEST_CASE("texture that is everywhere is not taken for noise", "[merge][depth]") {
    const DepthField field = field_of_soft_ground();
    int right = 0, all = 0;
    for (int y = 5; y < field.depth.rows - 5; ++y)
        for (int x = 5; x < field.depth.cols - 5; ++x) {
            ++all;
            right += std::abs(double(field.depth(y, x)) - slanted_depth(2 * x)) <= 1 ? 1 : 0;
        }
    CHECK(double(right) / all > 0.95);
}

TEST_CASE("noise is what the quietest frames and the finer bands tell", "[merge][depth]") {
    NoiseFloor floor(4);
    CHECK(floor.finish() == std::vector<double>(4, 0.0));  // nothing is known yet
    for (const double level :
         {9.0, 3.0, 5.0, 1.0, 8.0, 7.0, 6.0, 4.0}) {  // the dark frame of 1 does not decide
        floor.add(0, level);
        floor.add(1, 2 * level);
        floor.add(2, level / 10);  // less than the finer band allows
        floor.add(3, 50);          // texture
    }
    const std::vector<double> noise = floor.finish();
    CHECK(noise[0] == Approx(3));
    CHECK(noise[1] == Approx(6));
    CHECK(noise[2] == Approx(0.3));
    CHECK(noise[3] == Approx(0.12));
    // Of four frames the quietest decides, of five the second: 15 % of the way from the first to the last.
    for (const auto& [count, expected] : {std::pair(4, 1.0), std::pair(5, 2.0), std::pair(12, 3.0)}) {
        NoiseFloor own(1);
        for (int k = count; k > 0; --k) own.add(0, k);
        CHECK(own.finish()[0] == expected);
    }
}

TEST_CASE("a texture's depth is found between the frames, and is trusted", "[merge][depth]") {
    for (const double at : {4.0, 5.3, 6.5, 7.8}) {
        const DepthField field = field_of(at, 0.8);
        CHECK(field.depth.size() == cv::Size(120, 80));
        double off = 0, least_trust = 1;
        for (int y = 10; y < 70; y += 3)
            for (int x = 10; x < 70; x += 3) {
                off = std::max(off, std::abs(double(field.depth(y, x)) - at));
                least_trust = std::min(least_trust, double(field.trust(y, x)));
            }
        CHECK(off < 0.35);
        CHECK(least_trust > 0.3);
        CHECK(field.nearest(40, 40) == Approx(at).margin(0.4));
        CHECK(field.farthest(40, 40) == Approx(at).margin(0.4));
    }
}

TEST_CASE("where nothing is ever sharp there is no trust, and the depth is that of what stands beside",
          "[merge][depth]") {
    const DepthField field = field_of(5, 0.8);
    for (int y = 10; y < 70; y += 6)
        for (int x = 100; x < 116; x += 4) CHECK(field.trust(y, x) < 0.3f);
    CHECK(field.depth(40, 92) == Approx(5).margin(1));
    // The smooth part is the backdrop; the textured one is not.
    const cv::Mat1b backdrop = backdrop_of(field.trust, 0.3, 8);
    CHECK(cv::countNonZero(backdrop(cv::Rect(100, 10, 16, 60))) == 16 * 60);
    CHECK(cv::countNonZero(backdrop(cv::Rect(5, 5, 70, 70))) == 0);
}

TEST_CASE("how fast blur grows is told from how sharpness falls off its peak", "[merge][depth]") {
    const double slow = field_of(6, 0.5).blur_px, quick = field_of(6, 1.0).blur_px;
    CHECK(quick / slow == Approx(2).margin(0.6));
}

TEST_CASE("small untrusted spots are no backdrop", "[merge][depth]") {
    cv::Mat1f trust(80, 120, 0.8f);
    trust(cv::Rect(20, 20, 8, 8)) = 0;
    trust(cv::Rect(60, 0, 60, 80)) = 0;
    const cv::Mat1b backdrop = backdrop_of(trust, 0.3, 8);
    CHECK(backdrop(24, 24) == 0);
    CHECK(backdrop(40, 90) == 255);
}

TEST_CASE("what frames do not cover says nothing about noise and trust", "[merge][depth]") {
    // Grain and nothing else. Each frame leaves 36 of 240 columns uncovered, at one side or the other.
    const auto grain_of = [](int uncovered_px, std::vector<double>& noise) {
        FocusDepth depth(kSize, 4);
        cv::RNG random(5);
        for (int k = 0; k < kFrames; ++k) {
            cv::Mat1f grain(kSize);
            random.fill(grain, cv::RNG::NORMAL, 0.5, 0.003);
            const double shift = k % 2 ? uncovered_px : -uncovered_px;
            const WarpedFrame own(grey_of(grain), ToneCurve{ColourProfile{}},
                                  {cv::Matx33d(1, 0, shift, 0, 1, 0, 0, 0, 1), {{}, kSize}});
            depth.add(pyramid_bands(own.downsampled_luma({}), detail_levels(kSize), {}), {});
        }
        noise = depth.noise();
        return depth.finish(0.3, 8, {});
    };
    std::vector<double> whole, parted;
    const DepthField all = grain_of(0, whole), some = grain_of(36, parted);
    REQUIRE(whole.size() == parted.size());
    // Zeros would have been more than the share that noise is learnt from. It is another sample of the same
    // grain, and coarse levels have few places.
    for (std::size_t i = 0; i < 3; ++i) CHECK(parted[i] == Approx(whole[i]).epsilon(0.3));
    // A curve is judged by the frames that cover the place: half of them here, and zeros of the others would
    // have made any value stand out.
    const cv::Rect rim(4, 4, 10, 72), middle(40, 4, 40, 72);
    CHECK(cv::mean(some.trust(rim))[0] < 1.5 * cv::mean(all.trust(middle))[0] + 0.01);
    CHECK(cv::mean(some.trust(middle))[0] == Approx(cv::mean(all.trust(middle))[0]).margin(0.02));
}
