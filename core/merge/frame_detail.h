// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>
#include <functional>
#include <vector>

#include "core/picture/pyramid.h"
#include "core/picture/warped_frame.h"

namespace moorhaze {

/// Blocks of a target that is worked on block by block: kBlock px a side, less at the right and lower rim.
class Blocks {
  public:
    static constexpr int kBlock = 128;  ///< a multiple of 4
    explicit Blocks(cv::Size target)
        : target_(target),
          across_((target.width + kBlock - 1) / kBlock),
          down_((target.height + kBlock - 1) / kBlock) {}
    int count() const { return across_ * down_; }
    cv::Rect operator[](int block) const {
        return cv::Rect(block % across_ * kBlock, block / across_ * kBlock, kBlock, kBlock) &
               cv::Rect({}, target_);
    }

  private:
    cv::Size target_;
    int across_, down_;
};

/// A block at half the size, (n+1)/2 a side.
cv::Rect downsampled(cv::Rect block);

/// A pyramid level of a block, one of the finest two: what it holds is light - ground.
struct DetailBlock {
    cv::Mat3f light;       ///< linear
    cv::Mat3f ground;      ///< the next coarser size, enlarged
    cv::Mat1f own_energy;  ///< band_energy of perceptual luma
    /// With the energies of the next sizes up to kFine, the last by half: a size alone is chosen by its noise
    /// more often.
    cv::Mat1f energy;
};

/// A warped frame at its pyramid levels, each half the one before, from full size (0) on. The two finest
/// are had block by block, so that only what is wanted of them is made; the coarser ones rest on the frame's
/// own quarter. Refers to the frame. Immutable, thread-safe.
class FrameDetail {
  public:
    static constexpr double kGathered = 1;  ///< px of the own size that band_energy is gathered over
    static constexpr int kFine = 2;         ///< sizes that are had in blocks

    /// @throws Cancelled.
    FrameDetail(const WarpedFrame& frame, const Job& job);

    /// Light of the size kFine, at a quarter of the target's size.
    const cv::Mat3f& light() const { return light_; }

    /// A size from kFine on. `ground` is the next coarser one, enlarged row by row.
    using TakeCoarse = std::function<void(int level, const cv::Mat3f& light, const UpsampledRows& ground,
                                          const cv::Mat1f& energy)>;
    /// Hands out the sizes kFine..levels-1 with their band_energy.
    /// @return  the light that is left, half as large as the last of them.   @throws Cancelled.
    cv::Mat3f coarse(int levels, const Job& job, const TakeCoarse& take) const;

    /// @param block  begins at a multiple of 4 and ends at one or at the target's rim.   @throws Cancelled.
    std::array<DetailBlock, kFine> fine(cv::Rect block, const Job& job) const;

    /// What noise makes of a DetailBlock's energy, or of band_energy for coarser sizes.
    /// @param noise  of band_energy at each size, finest first; the last stands for all coarser ones.
    static double summed_noise(const std::vector<double>& noise, int level);

  private:
    const WarpedFrame& frame_;
    cv::Mat3f light_;
    cv::Mat1f luma_, next_luma_, energy_;  ///< of kFine; the luma of the next coarser size
};

}  // namespace moorhaze
