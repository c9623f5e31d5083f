// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/align/level_light.h"

#include <catch2/catch.hpp>
#include <cmath>

#include "tests/support/textured.h"

using namespace moorhaze;

namespace {

const cv::Size kFrame(1200, 800);

/// Small pictures of a texture, each frame larger than the one before by `growth` about the centre, with
/// gains by colour and light that falls off.
struct Shot {
    std::vector<cv::Mat3f> light;
    std::vector<cv::Matx33d> matrices;  ///< to frame 0
};
Shot shoot(const std::vector<cv::Vec3d>& gains, double growth, const Vignetting& fall) {
    const test::Texture texture(11, 60, 60, 900);
    Shot shot;
    const double middle_x = (kFrame.width - 1) / 2.0, middle_y = (kFrame.height - 1) / 2.0;
    for (std::size_t i = 0; i < gains.size(); ++i) {
        const double scale = std::pow(1 + growth, -double(i));
        shot.matrices.push_back(
            {scale, 0, middle_x * (1 - scale), 0, scale, middle_y * (1 - scale), 0, 0, 1});
        cv::Mat3f light(80, 120);
        for (int y = 0; y < 80; ++y)
            for (int x = 0; x < 120; ++x) {
                const double px = 10 * x + 4.5, py = 10 * y + 4.5;
                const double value =
                    texture.at(middle_x + scale * (px - middle_x), middle_y + scale * (py - middle_y));
                const double r2 = ((px - middle_x) * (px - middle_x) + (py - middle_y) * (py - middle_y)) /
                                  (middle_x * middle_x + middle_y * middle_y);
                const double fallen = std::exp(-(fall.square * r2 + fall.fourth * r2 * r2));
                for (int c = 0; c < 3; ++c)
                    light(y, x)[c] = float(0.6 * value * value * fallen * gains[i][c]);
            }
        shot.light.push_back(light);
    }
    return shot;
}

}  // namespace

TEST_CASE("flicker of a stop up and down is found to a part in two hundred", "[align]") {
    const std::vector<cv::Vec3d> gains{{1, 1, 1},       {0.5, 0.5, 0.5},    {2, 2, 2},
                                       {1.1, 1.1, 1.1}, {0.93, 0.93, 0.93}, {1.4, 1.4, 1.4}};
    const Shot shot = shoot(gains, 0, {});
    const LevelledLight found = level_light(shot.light, shot.matrices, kFrame, 0, Levelling::automatic);
    for (std::size_t i = 0; i < gains.size(); ++i)
        for (int c = 0; c < 3; ++c) CHECK(found.gains[i][c] * gains[i][c] == Approx(1).epsilon(0.005));
    CHECK(found.vignetting.is_none());
}

TEST_CASE("colours are levelled apart only where white balance flickers", "[align]") {
    const std::vector<cv::Vec3d> tinted{
        {1, 1, 1}, {1.06, 1, 0.95}, {0.97, 1, 1.04}, {1.02, 1, 0.99}, {1, 1, 1.05}};
    const Shot shot = shoot(tinted, 0, {});
    const LevelledLight found = level_light(shot.light, shot.matrices, kFrame, 0, Levelling::automatic);
    for (std::size_t i = 0; i < tinted.size(); ++i)
        for (int c = 0; c < 3; ++c) CHECK(found.gains[i][c] * tinted[i][c] == Approx(1).epsilon(0.005));
    const LevelledLight even = level_light(shot.light, shot.matrices, kFrame, 0, Levelling::brightness);
    for (const cv::Vec3d& gain : even.gains) CHECK(gain[0] == gain[2]);
    const LevelledLight off = level_light(shot.light, shot.matrices, kFrame, 0, Levelling::off);
    for (const cv::Vec3d& gain : off.gains) CHECK(gain == cv::Vec3d(1, 1, 1));
}

TEST_CASE("light fall-off that moves with the scale is told from flicker", "[align]") {
    std::vector<cv::Vec3d> gains;
    for (int i = 0; i < 12; ++i) gains.push_back(cv::Vec3d::all(1 + 0.05 * std::sin(5.0 * i)));
    const Vignetting fall{0.35, 0.1};
    const Shot shot = shoot(gains, 0.015, fall);
    const LevelledLight found = level_light(shot.light, shot.matrices, kFrame, 5, Levelling::automatic);
    auto fallen = [](const Vignetting& own, double r2) { return own.square * r2 + own.fourth * r2 * r2; };
    for (const double r2 : {0.25, 0.5, 0.8})
        CHECK(fallen(found.vignetting, r2) == Approx(fallen(fall, r2)).margin(0.04));
    for (std::size_t i = 0; i < gains.size(); ++i)
        CHECK(found.gains[i][1] * gains[i][1] / gains[5][1] == Approx(1).epsilon(0.01));
}

TEST_CASE("black and clipped places don't count, frames without light keep gain 1", "[align]") {
    Shot shot = shoot({{1, 1, 1}, {1.25, 1.25, 1.25}, {0.8, 0.8, 0.8}}, 0, {});
    for (cv::Mat3f& light : shot.light)
        for (int y = 0; y < 30; ++y)
            for (int x = 0; x < 120; ++x) light(y, x) = y < 15 ? cv::Vec3f(0, 0, 0) : cv::Vec3f(1, 1, 1);
    shot.light[2].release();
    const LevelledLight found = level_light(shot.light, shot.matrices, kFrame, 0, Levelling::automatic);
    CHECK(found.gains[1][0] * 1.25 == Approx(1).epsilon(0.005));
    CHECK(found.gains[2] == cv::Vec3d(1, 1, 1));
}
