// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/frame_detail.h"

#include <algorithm>
#include <cmath>

#include "core/merge/band_energy.h"
#include "core/picture/blur.h"
#include "core/picture/luma.h"
#include "core/picture/pyramid.h"
#include "core/work/clones.h"

namespace moorhaze {
namespace {

/// px around a block that its own pixels' detail and energy go by: 3 that energy is gathered over and one
/// more of the next size, at half size, and 2 that downsampling takes.
constexpr int kBlockMargin = 8;

constexpr int kStripRows = 48;  // that are warped at once

constexpr float kOfQuarter = 0.5f;  // of its energy that finer sizes are judged by, too

/// Colours and their perceptual luma.
MOORHAZE_CLONES void part_row(const float* light, float* red, float* green, float* blue, float* luma,
                              int width) {
    for (int i = 0; i < width; ++i) {
        red[i] = light[3 * i], green[i] = light[3 * i + 1], blue[i] = light[3 * i + 2];
        const float sum = kLuminance[0] * red[i] + kLuminance[1] * green[i] + kLuminance[2] * blue[i];
        luma[i] = std::sqrt(sum > 0 ? sum : 0);
    }
}

MOORHAZE_CLONES void subtract_row(const float* from, const float* other, float* out, int width) {
    for (int i = 0; i < width; ++i) out[i] = from[i] - other[i];
}

MOORHAZE_CLONES void add_scaled_row(const float* one, const float* other, float scale, float* out,
                                    int width) {
    for (int i = 0; i < width; ++i) out[i] = one[i] + scale * other[i];
}

}  // namespace

cv::Rect downsampled(cv::Rect block) {
    return {block.x / 2, block.y / 2, (block.width + 1) / 2, (block.height + 1) / 2};
}

FrameDetail::FrameDetail(const WarpedFrame& frame, const Job& job)
    : frame_(frame), light_(frame.downsampled_light(job)) {
    const cv::Mat1f luma = perceptual_luma(light_, job);
    next_luma_ = pyramid_down(luma, job);
    energy_ = band_energy(luma, next_luma_, kGathered, job);
}

cv::Mat3f FrameDetail::coarse(int levels, const Job& job, const TakeCoarse& take) const {
    cv::Mat3f light = light_;
    cv::Mat1f luma = next_luma_, energy = energy_;
    for (int level = kFine; level < levels; ++level) {
        if (level > kFine) {
            const cv::Mat1f own = luma;
            luma = pyramid_down(own, job);
            energy = band_energy(own, luma, kGathered, job);
        }
        const cv::Mat3f next = pyramid_down(light, job);
        take(level, light, UpsampledRows(next, light.size()), energy);
        light = next;
    }
    return light;
}

void FineDetail::Level::lie(cv::Rect around_of_target, cv::Rect own_of_target) {
    around = around_of_target.size();
    own = own_of_target - around_of_target.tl();
    for (Plane* plane : {&light[0], &light[1], &light[2], &luma, &own_energy, &energy})
        plane->resize(std::size_t(around.area()));
}

void FineDetail::detail_row(std::size_t level, int y, float* const* colours) const {
    const Level &own = levels_[level], &coarser = levels_[level + 1];
    for (std::size_t colour = 0; colour < 3; ++colour) {
        pyramid_up_row(coarser.rows(coarser.light[colour]), own.own.y + y, own.around.width, rows_[0].data(),
                       rows_[1].data());
        subtract_row(own.row(own.light[colour], y), rows_[0].data() + own.own.x, colours[colour],
                     own.own.width);
    }
}

/// Both energies of a level from its luma and what is coarser; of the coarser energy all that is around is
/// there.
void FineDetail::make_energy(std::size_t level, const Level& coarser) {
    static const GaussianKernel kernel(FrameDetail::kGathered);
    Level& own = levels_[level];
    const int reach = kernel.reach(), width = own.around.width, height = own.around.height;
    // Full size is needed in the block only, half size where full size is made of it.
    const int begin = level == 0 ? own.own.y : 0, end = level == 0 ? own.own.br().y : height;
    squares_.resize(own.luma.size());
    for (int y = std::max(0, begin - reach); y < std::min(height, end + reach); ++y) {
        float* const squares = own.whole_row(squares_, y);
        pyramid_up_row(coarser.rows(coarser.luma), y, width, squares, scratch_.data());
        square_difference_row(own.whole_row(own.luma, y), squares, squares, width);
    }
    std::array<const float*, 7> rows{};
    CV_Assert(2 * reach + 1 == int(rows.size()));
    for (int y = begin; y < end; ++y) {
        for (int i = -reach; i <= reach; ++i)
            rows[std::size_t(reach + i)] = own.whole_row(squares_, mirrored(y + i, height));
        float* const gathered = own.whole_row(own.own_energy, y);
        kernel.row(rows.data(), width, 1, scratch_.data(), gathered);
        pyramid_up_row(coarser.rows(coarser.energy), y, width, rows_[0].data(), rows_[1].data());
        add_scaled_row(gathered, rows_[0].data(), level + 1 == kLevels ? kOfQuarter : 1.0f,
                       own.whole_row(own.energy, y), width);
    }
}

const FineDetail& FrameDetail::fine(cv::Rect block) const {
    static thread_local FineDetail fine;
    // Begins at a multiple of 4 and ends at one or at the target's rim, so that halves and quarters are the
    // target's. Mirrored at the rim of what is around: nothing is taken from there but at the target's own.
    cv::Rect around = cv::Rect(block.tl() - cv::Point(kBlockMargin, kBlockMargin),
                               block.br() + cv::Point(kBlockMargin, kBlockMargin)) &
                      cv::Rect({}, frame_.target());
    const cv::Rect whole = around;
    for (FineDetail::Level& level : fine.levels_) {
        level.lie(around, block);
        around = downsampled(around), block = downsampled(block);
    }
    FineDetail::Level &full = fine.levels_[0], &half = fine.levels_[1], &quarter = fine.levels_[2];
    fine.scratch_.resize(std::size_t(full.around.width + 2 * kBlockMargin));
    for (auto& row : fine.rows_) row.resize(std::size_t(full.around.width));
    const auto part = [](FineDetail::Level& level, const cv::Mat3f& light, int top) {
        for (int y = 0; y < light.rows; ++y) {
            const auto row = [&](FineDetail::Plane& plane) { return level.whole_row(plane, top + y); };
            part_row(light.ptr<float>(y), row(level.light[0]), row(level.light[1]), row(level.light[2]),
                     row(level.luma), light.cols);
        }
    };
    for (int top = 0; top < whole.height; top += kStripRows) {
        const cv::Rect strip(whole.x, whole.y + top, whole.width, std::min(kStripRows, whole.height - top));
        fine.warped_.create(strip.size());
        frame_.light(strip, fine.warped_);
        part(full, fine.warped_, top);
    }
    const cv::Rect of_quarter(whole.x / 4, whole.y / 4, quarter.around.width, quarter.around.height);
    part(quarter, light_(of_quarter), 0);
    for (int y = 0; y < quarter.around.height; ++y)
        std::copy_n(energy_[of_quarter.y + y] + of_quarter.x, quarter.around.width,
                    quarter.whole_row(quarter.energy, y));
    const auto halve = [&](const FineDetail::Plane& plane, FineDetail::Plane& out) {
        for (int y = 0; y < half.around.height; ++y)
            pyramid_down_row(full.rows(plane), y, half.whole_row(out, y), fine.scratch_.data());
    };
    for (std::size_t colour = 0; colour < 3; ++colour) halve(full.light[colour], half.light[colour]);
    halve(full.luma, half.luma);
    fine.make_energy(1, quarter);
    fine.make_energy(0, half);
    return fine;
}

double FrameDetail::summed_noise(const std::vector<double>& noise, int level) {
    const auto of = [&](int size) { return noise[std::min(std::size_t(size), noise.size() - 1)]; };
    // There may be no place left without coarse detail: noise is no more there than it is in finer detail.
    const double own = of(level);
    double sum = own;
    if (level == 0) sum += std::min(of(1), own);
    if (level < kFine) sum += double(kOfQuarter) * std::min(of(kFine), own);
    return sum;
}

}  // namespace moorhaze
