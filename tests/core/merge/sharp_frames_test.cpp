// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/sharp_frames.h"

#include <catch2/catch.hpp>
#include <cmath>
#include <opencv2/imgproc.hpp>
#include <random>

#include "core/focus/focus_marks.h"
#include "core/picture/luma.h"
#include "tests/support/textured.h"

using namespace moorhaze;

namespace {

constexpr int kFramesOfStack = 15;

/// A texture that is sharp in one frame left of a line and in another right of it; each side is blurred by a
/// pixel a frame away from it. With noise of its own in each frame.
struct SharpStack {
    int left = 7, right = 7, line = 1000;
    double contrast = 1, noise = 0.004;

    LinearFrame patch(int frame, PixelRect part) const {
        static const test::Texture texture(11, 90, 3, 40);
        // A border more, so that the blur knows what lies outside.
        const int more = 48;
        cv::Mat1f own(part.height + 2 * more, part.width + 2 * more);
        for (int y = 0; y < own.rows; ++y)
            for (int x = 0; x < own.cols; ++x)
                own(y, x) = float(0.4 + contrast * (texture.at(part.x + x - more, part.y + y - more) - 0.5));
        const auto blurred = [&](int sharp) {
            cv::Mat1f made = own.clone();
            if (const double sigma = std::abs(frame - sharp); sigma > 0)
                cv::GaussianBlur(own, made, {}, sigma);
            return made;
        };
        const cv::Mat1f one = blurred(left), other = blurred(right);
        std::mt19937 random{unsigned(frame + 1)};
        std::normal_distribution<float> grain(0, float(noise));
        LinearFrame made{cv::Mat3f(part.size()),
                         std::vector<RowSpan>(std::size_t(part.height), RowSpan{0, part.width})};
        for (int y = 0; y < part.height; ++y)
            for (int x = 0; x < part.width; ++x)
                made.pixels(y, x) = cv::Vec3f::all(
                    std::max(0.0f, (part.x + x < line ? one : other)(y + more, x + more) + grain(random)));
        return made;
    }
    SharpFrames at(cv::Point2d place, double reach = 10) const {
        SharpAtPlace judge(place, reach);
        for (int frame = 0; frame < kFramesOfStack; ++frame) judge.add(frame, patch(frame, judge.part()), {});
        return judge.frames({});
    }
};

}  // namespace

TEST_CASE("at a place with texture the frame that has it in focus is named, and no other", "[merge][focus]") {
    for (const int sharp : {1, 4, 7, 13}) {
        SharpStack stack;
        stack.left = sharp;
        int right = 0;
        for (int i = 0; i < 10; ++i) {
            const SharpFrames named = stack.at({100.0 + 31 * i, 200.0 - 13 * i});
            REQUIRE(named.frames.size() == 1);
            right += std::abs(named.frames[0].frame - sharp) <= 1 ? 1 : 0;
            CHECK(named.frames[0].certainty > 0.5);
            CHECK(named.shares.size() == kFramesOfStack);
        }
        INFO("sharp in " << sharp);
        CHECK(right == 10);
    }
}

TEST_CASE("where two depths meet both frames are named", "[merge][focus]") {
    SharpStack stack;
    stack.left = 3, stack.right = 11, stack.line = 200;
    for (const double away : {-4.0, 0.0, 4.0}) {
        INFO(away << " px from the line");
        const SharpFrames named = stack.at({200 + away, 150});
        REQUIRE(named.frames.size() == 2);
        const auto [near, far] = std::minmax(named.frames[0].frame, named.frames[1].frame);
        CHECK(std::abs(near - 3) <= 1);
        CHECK(std::abs(far - 11) <= 1);
        CHECK(named.frames[0].certainty >= named.frames[1].certainty);
    }
    CHECK(stack.at({100, 150}).frames.size() == 1);  // far off there is one depth only
}

TEST_CASE("a map of a whole plane says what the place alone says, in any order of the frames",
          "[merge][focus]") {
    SharpStack stack;
    stack.left = 3, stack.right = 11, stack.line = 200;
    const PixelRect plane(0, 0, 400, 260);
    SharpMapMaker maker(plane.size());
    for (int frame = 0; frame < kFramesOfStack; ++frame) {
        if (frame == 5) continue;  // could not be read
        const LinearFrame own = stack.patch(frame, plane);
        maker.add(frame, perceptual_luma(own.pixels, {}), own.covered, {});
    }
    const SharpMap map = maker.finish({});
    // Turned round, and with two frames that lie far apart exchanged.
    std::vector<int> turned(kFramesOfStack), mixed(kFramesOfStack);
    for (int k = 0; k < kFramesOfStack; ++k) turned[std::size_t(k)] = kFramesOfStack - 1 - k;
    for (int k = 0; k < kFramesOfStack; ++k) mixed[std::size_t(k)] = k == 3 ? 14 : k == 14 ? 3 : k;
    const SharpMap other = map.reordered(turned), exchanged = map.reordered(mixed);
    for (const cv::Point place : {cv::Point(110, 130), {150, 140}, {250, 120}, {290, 130}}) {
        INFO(place);
        const int sharp = place.x < stack.line ? stack.left : stack.right;
        const SharpFrames here = map.at(place, 10);
        REQUIRE(here.frames.size() == 1);
        CHECK(std::abs(here.frames[0].frame - sharp) <= 1);
        CHECK(here.shares.size() == kFramesOfStack - 1);
        CHECK(other.at(place, 10).frames[0].frame == kFramesOfStack - 1 - here.frames[0].frame);
        CHECK(mixed[std::size_t(exchanged.at(place, 10).frames[0].frame)] == here.frames[0].frame);
    }
    CHECK(map.at({200, 130}, 10).frames.size() == 2);
    CHECK(map.at({1000, -500}, 10).frames.empty());
    CHECK(SharpMap().at({10, 10}, 10).frames.empty());
    CHECK(SharpMap().reordered({1, 0}).at({10, 10}, 10).frames.empty());
    CHECK_THROWS_AS(maker.add(15, cv::Mat1f(3, 3), {}, {}), BadParameter);
}

TEST_CASE("where nothing but noise is seen no frame is named, however strong it is", "[merge][focus]") {
    for (const double noise : {0.002, 0.01, 0.03}) {
        SharpStack stack;
        stack.contrast = 0, stack.noise = noise;
        for (int i = 0; i < 6; ++i) CHECK(stack.at({100.0 + 53 * i, 90}).frames.empty());
    }
    CHECK(SharpAtPlace({50, 50}, 8).frames({}).frames.empty());  // nobody was asked
    CHECK_THROWS_AS(SharpAtPlace({50, 50}, 3), BadParameter);
    CHECK_THROWS_AS(SharpAtPlace({50, 50}, 8).add(0, LinearFrame{cv::Mat3f(3, 3), {}}, {}), BadParameter);
}

TEST_CASE(
    "marks of what is sharp begin at six tenths of the strongest detail, and reach farther when asked to",
    "[focus]") {
    // Lines of falling contrast on grey, wide apart: each is detail of its own strength.
    cv::Mat3b picture(120, 400, cv::Vec3b::all(100));
    for (int i = 0; i < 10; ++i)
        for (int y = 0; y < 120; ++y)
            for (int x = 0; x < 3; ++x)
                picture(y, 20 + 38 * i + 2 * x) = cv::Vec3b::all(uchar(100 + 15 * (10 - i)));
    const auto marked = [&](double reach) {
        const cv::Mat1b marks = focus_marks(picture, reach, {});
        int lines = 0;
        for (int i = 0; i < 10; ++i)
            lines += cv::countNonZero(marks.colRange(16 + 38 * i, 30 + 38 * i)) > 60 ? 1 : 0;
        return lines;
    };
    CHECK(marked(0) == 4);  // above 0.60 of the strongest
    CHECK(marked(1) == 9);  // above 0.15 of it
}
