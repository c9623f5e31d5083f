// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>
#include <functional>
#include <vector>

#include "core/picture/pyramid.h"
#include "core/picture/warped_frame.h"

namespace moorhaze {

/// Blocks of a target that is worked on block by block, less at the right and lower rim.
class Blocks {
  public:
    static constexpr int kBlock = 128;  ///< a multiple of 4
    /// @param side  px.
    explicit Blocks(cv::Size target, int side = kBlock)
        : target_(target),
          side_(side),
          across_((target.width + side - 1) / side),
          down_((target.height + side - 1) / side) {}
    int count() const { return across_ * down_; }
    cv::Rect operator[](int block) const {
        return cv::Rect(block % across_ * side_, block / across_ * side_, side_, side_) &
               cv::Rect({}, target_);
    }

  private:
    cv::Size target_;
    int side_, across_, down_;
};

/// A block at half the size, (n+1)/2 a side.
cv::Rect downsampled(cv::Rect block);

/// The two finest pyramid levels of a block, full size and half: plane by plane, so that rows of them are
/// worked on as they lie in the cache. Rows and columns of the block.
class FineDetail {
  public:
    static constexpr std::size_t kLevels = 2;

    cv::Size size(std::size_t level) const { return levels_[level].own.size(); }
    /// Linear light of a colour.
    const float* light(std::size_t level, int colour, int y) const {
        return levels_[level].row(levels_[level].light[std::size_t(colour)], y);
    }
    /// band_energy of perceptual luma.
    const float* own_energy(std::size_t level, int y) const {
        return levels_[level].row(levels_[level].own_energy, y);
    }
    /// With the energies of the next sizes up to FrameDetail::kFine, the last by half: a size alone is chosen
    /// by its noise more often.
    const float* energy(std::size_t level, int y) const {
        return levels_[level].row(levels_[level].energy, y);
    }
    /// Light less the next coarser size, enlarged.   @param colours  three rows, as wide as the block.
    void detail_row(std::size_t level, int y, float* const* colours) const;

  private:
    friend class FrameDetail;
    using Plane = std::vector<float>;
    /// Planes of what lies around the block at a level.
    struct Level {
        cv::Size around;
        cv::Rect own;  ///< the block, in `around`
        std::array<Plane, 3> light;
        Plane luma, own_energy, energy;
        const float* row(const Plane& plane, int y) const { return whole_row(plane, own.y + y) + own.x; }
        const float* whole_row(const Plane& plane, int y) const { return plane.data() + y * around.width; }
        float* whole_row(Plane& plane, int y) const { return plane.data() + y * around.width; }
        PlaneRows rows(const Plane& plane) const {
            return {plane.data(), around.width, around.width, around.height};
        }
        void lie(cv::Rect around_of_target, cv::Rect own_of_target);
    };
    void make_energy(std::size_t level, const Level& coarser);

    std::array<Level, kLevels + 1> levels_;  ///< and the next coarser one
    cv::Mat3f warped_;
    Plane scratch_, squares_;
    mutable std::array<Plane, 2> rows_;
};

/// A warped frame at its pyramid levels, each half the one before, from full size (0) on. The two finest
/// are had block by block, so that only what is wanted of them is made; the coarser ones rest on the frame's
/// own quarter. Refers to the frame. Immutable, thread-safe.
class FrameDetail {
  public:
    static constexpr double kGathered = 1;  ///< px of the own size that band_energy is gathered over
    static constexpr int kFine = int(FineDetail::kLevels);  ///< sizes that are had in blocks

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

    /// @param block  begins at a multiple of 4 and ends at one or at the target's rim.
    /// @return  the calling thread's own, until it asks for another block of any frame.
    const FineDetail& fine(cv::Rect block) const;

    /// What noise makes of FineDetail's energy, or of band_energy for coarser sizes.
    /// @param noise  of band_energy at each size, finest first; the last stands for all coarser ones.
    static double summed_noise(const std::vector<double>& noise, int level);

  private:
    const WarpedFrame& frame_;
    cv::Mat3f light_;
    cv::Mat1f next_luma_, energy_;  ///< of the size after kFine; of kFine
};

}  // namespace moorhaze
