// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/frame_detail.h"

#include <algorithm>

#include "core/merge/band_energy.h"
#include "core/picture/luma.h"
#include "core/picture/pyramid.h"

namespace moorhaze {
namespace {

/// px around a block that its own pixels' detail and energy go by: 3 that energy is gathered over and one
/// more of the next size, at half size, and 2 that downsampling takes.
constexpr int kBlockMargin = 8;

constexpr double kOfQuarter = 0.5;  // of its energy that finer sizes are judged by, too

}  // namespace

cv::Rect downsampled(cv::Rect block) {
    return {block.x / 2, block.y / 2, (block.width + 1) / 2, (block.height + 1) / 2};
}

FrameDetail::FrameDetail(const WarpedFrame& frame, const Job& job)
    : frame_(frame),
      light_(frame.downsampled_light(job)),
      luma_(perceptual_luma(light_, job)),
      next_luma_(pyramid_down(luma_, job)),
      energy_(band_energy(luma_, next_luma_, kGathered, job)) {}

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

std::array<DetailBlock, FrameDetail::kFine> FrameDetail::fine(cv::Rect block, const Job& job) const {
    // Begins at a multiple of 4 and ends at one or at the target's rim, so that halves and quarters are the
    // target's.
    const cv::Rect around = cv::Rect(block.tl() - cv::Point(kBlockMargin, kBlockMargin),
                                     block.br() + cv::Point(kBlockMargin, kBlockMargin)) &
                            cv::Rect({}, frame_.target());
    const cv::Rect quarter = downsampled(downsampled(around));
    // Mirrored at the rim of what is around: nothing is taken from there but at the target's own.
    const cv::Mat3f light = frame_.light(around), half = pyramid_down(light, job);
    const cv::Mat1f luma = perceptual_luma(light, job), downsampled_luma = pyramid_down(luma, job);
    const cv::Mat3f ground = pyramid_up(half, light.size(), job),
                    half_ground = pyramid_up(light_(quarter), half.size(), job);
    const cv::Mat1f own_half_energy = band_energy(downsampled_luma, luma_(quarter), kGathered, job),
                    own_energy = band_energy(luma, downsampled_luma, kGathered, job);
    const cv::Mat1f half_energy =
        own_half_energy + kOfQuarter * pyramid_up(energy_(quarter), half.size(), job);
    const cv::Mat1f energy = own_energy + pyramid_up(half_energy, light.size(), job);
    const cv::Rect own(block.tl() - around.tl(), block.size()), half_own = downsampled(own);
    return {
        DetailBlock{light(own), ground(own), own_energy(own), energy(own)},
        DetailBlock{half(half_own), half_ground(half_own), own_half_energy(half_own), half_energy(half_own)}};
}

double FrameDetail::summed_noise(const std::vector<double>& noise, int level) {
    const auto of = [&](int size) { return noise[std::min(std::size_t(size), noise.size() - 1)]; };
    // There may be no place left without coarse detail: noise is no more there than it is in finer detail.
    const double own = of(level);
    double sum = own;
    if (level == 0) sum += std::min(of(1), own);
    if (level < kFine) sum += kOfQuarter * std::min(of(kFine), own);
    return sum;
}

}  // namespace moorhaze
