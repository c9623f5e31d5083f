// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/frame_detail.h"

#include <array>
#include <catch2/catch.hpp>

#include "core/merge/band_energy.h"
#include "core/picture/luma.h"
#include "core/picture/pyramid.h"
#include "tests/support/textured.h"

using namespace moorhaze;

namespace {

WarpedFrame some_frame(cv::Size target) {
    const test::Texture texture(31, 60, 4, 60);
    const Picture frame =
        test::picture_from({420, 330}, [&](int x, int y) { return 0.2 + 0.6 * texture.at(x, y); });
    return {frame,
            ToneCurve{ColourProfile{}},
            {cv::Matx33d(1.01, 0.02, 3.3, -0.02, 1.01, 7.2, 0, 0, 1), {20, 20, target.width, target.height}}};
}

/// A pyramid level of a block as pictures.
struct Level {
    cv::Mat3f light, ground;
    cv::Mat1f own_energy, energy;
};

/// Of a block's finest two levels: `fine` is the thread's own and changes with the next block.
std::array<Level, 2> levels_of(const FineDetail& fine) {
    std::array<Level, 2> levels;
    for (std::size_t k = 0; k < 2; ++k) {
        const cv::Size size = fine.size(k);
        Level& own = levels[k];
        own = {cv::Mat3f(size), cv::Mat3f(size), cv::Mat1f(size), cv::Mat1f(size)};
        std::vector<float> rows(3 * std::size_t(size.width));
        float* const colours[] = {rows.data(), rows.data() + size.width, rows.data() + 2 * size.width};
        for (int y = 0; y < size.height; ++y) {
            fine.detail_row(k, y, colours);
            for (int x = 0; x < size.width; ++x) {
                for (int c = 0; c < 3; ++c) {
                    own.light(y, x)[c] = fine.light(k, c, y)[x];
                    own.ground(y, x)[c] = own.light(y, x)[c] - colours[c][x];
                }
                own.own_energy(y, x) = fine.own_energy(k, y)[x], own.energy(y, x) = fine.energy(k, y)[x];
            }
        }
    }
    return levels;
}

}  // namespace

TEST_CASE("blocks of a target fill it once, to its odd rims", "[merge]") {
    for (const cv::Size size : {cv::Size(300, 257), cv::Size(128, 128), cv::Size(5, 1)}) {
        const Blocks blocks(size);
        cv::Mat1i filled(size, 0);
        for (int i = 0; i < blocks.count(); ++i) {
            CHECK_FALSE(blocks[i].empty());
            filled(blocks[i]) += 1;
        }
        CHECK(cv::countNonZero(filled != 1) == 0);
    }
}

TEST_CASE("the fine detail of blocks is that of the whole picture's pyramid", "[merge]") {
    const cv::Size size(371, 270);
    const WarpedFrame frame = some_frame(size);
    const FrameDetail detail(frame, {});
    const cv::Mat3f light = frame.all({}).pixels, half = pyramid_down(light, {}),
                    ground = pyramid_up(half, size, {});
    const cv::Mat1f luma = perceptual_luma(light, {}),
                    energy = band_energy(luma, pyramid_down(luma, {}), FrameDetail::kGathered, {});
    const Blocks blocks(size);
    for (int i = 0; i < blocks.count(); ++i) {
        const cv::Rect own = blocks[i];
        const auto fine = levels_of(detail.fine(blocks[i]));
        REQUIRE(fine[0].light.size() == blocks[i].size());
        REQUIRE(fine[1].light.size() == downsampled(blocks[i]).size());
        CHECK(cv::norm(fine[0].light, light(own), cv::NORM_INF) < 1e-3);
        CHECK(cv::norm(fine[0].ground, ground(own), cv::NORM_INF) < 1e-3);
        CHECK(cv::norm(fine[1].light, half(downsampled(own)), cv::NORM_INF) < 1e-3);
        CHECK(cv::norm(fine[0].own_energy, energy(own), cv::NORM_INF) <
              1e-3 * cv::norm(energy, cv::NORM_INF));
    }
}

TEST_CASE("a part of a block has the detail that the block has there", "[merge]") {
    const WarpedFrame frame = some_frame({371, 270});
    const FrameDetail detail(frame, {});
    const cv::Rect block(128, 128, 128, 128), part(144, 160, 48, 80);
    const auto whole = levels_of(detail.fine(block)), own = levels_of(detail.fine(part));
    for (std::size_t k = 0; k < 2; ++k) {
        const cv::Rect at = (k == 0 ? part : downsampled(part)) - (k == 0 ? block : downsampled(block)).tl();
        CHECK(cv::norm(own[k].light, whole[k].light(at), cv::NORM_INF) < 1e-3);
        CHECK(cv::norm(own[k].ground, whole[k].ground(at), cv::NORM_INF) < 1e-3);
        CHECK(cv::norm(own[k].energy, whole[k].energy(at), cv::NORM_INF) <
              0.02 * cv::norm(whole[k].energy, cv::NORM_INF));
    }
}

TEST_CASE("the pyramid levels add up to the picture, fine blocks and coarse sizes together", "[merge]") {
    const cv::Size size(371, 270);
    const WarpedFrame frame = some_frame(size);
    const FrameDetail detail(frame, {});
    const cv::Mat3f light = frame.all({}).pixels;
    const cv::Rect block(128, 0, 128, 128);
    const auto fine = levels_of(detail.fine(block));
    // The quarter enlarged, plus what half size holds, enlarged, plus what full size holds.
    const cv::Size half_size((size.width + 1) / 2, (size.height + 1) / 2);
    cv::Mat3f half = pyramid_up(detail.light(), half_size, {});
    half(downsampled(block)) += fine[1].light - fine[1].ground;
    const cv::Mat3f full = pyramid_up(half, size, {});
    // Away from the block's rim, where half size was completed.
    const cv::Rect middle(132, 4, 120, 120);
    const cv::Mat3f sum =
        full(middle) + fine[0].light(middle - block.tl()) - fine[0].ground(middle - block.tl());
    CHECK(cv::norm(sum, light(middle), cv::NORM_INF) < 1e-3);
}
