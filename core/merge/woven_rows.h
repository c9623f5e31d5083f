// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>
#include <opencv2/core.hpp>

#include "core/merge/block_planes.h"

/// The loops of the woven merge over rows of places. No two rows overlap.
namespace moorhaze {

/// Sums over frames at one pyramid level, plane by plane, each block's in one piece of memory: a frame adds
/// to a block at a time. Several threads may add to different rows.
class WovenSums {
  public:
    /// The places of a row from one on, up to the end of its block.
    struct Row {
        std::array<float*, 3> detail;  ///< weighted
        float* weight;
        float* root;       ///< weighted square roots of the frames' energies
        float* strongest;  ///< energy of those that contribute; -1: of none
    };

    /// Nothing is added yet.
    WovenSums(cv::Size size, cv::Size block);

    Row row(cv::Point at);
    cv::Size block() const { return planes_.block(); }

  private:
    BlockPlanes<float, 6> planes_;
};

/// What a frame says about a row of places.
struct FrameRow {
    std::array<const float*, 3> detail;
    const float* weight;
    const float* share;  ///< 0..1: how far it may contribute
    const float* energy;
};

/// How far each place of a row lets a frame contribute, and the weight of its detail.
/// @param nearest, farthest  places of frames that may contribute;  @param slack  how far beyond them.
/// @param grain  energy that noise makes.
void weigh_row(const float* nearest, const float* farthest, const float* energy, float place, float slack,
               float grain, float* share, float* weight, int width);

/// Lets a frame contribute a little, where no frame that is wanted reaches.
void add_fallback_weight(const float* energy, float little, float grain, float* weight, int width);

/// Light less what is coarser, of three values a place, colour by colour.
void part_detail_row(const float* light, const float* ground, float* const* colours, int width);

/// Adds a frame's detail, weighted.
void add_row(const FrameRow& frame, float grain, const WovenSums::Row& sums, int width);

/// Keeps the most energy of the frames that contribute, and which that was.
/// @param little  how far each contributes at the least.
void keep_strongest_row(const FrameRow& frame, float little, ushort number, float* strongest, ushort* source,
                        int width);

/// Adds the detail of a row, with the strength given back that mixing with softer frames cost. Energies are
/// those of coarser detail, too, which blur takes less of: the strength that they tell of is raised by 7/4,
/// fitted to a contrast of 1 on simulated series.
/// @param light  three values a place.
void restore_contrast_row(const WovenSums::Row& sums, float grain, float* light, int width);

/// Adds light by how near the frame is to the depth, where it may contribute.
/// @param light, sum  three values a place.
void add_plain_row(const float* light, const float* depth, const float* share, float place, float* sum,
                   float* total, int width);

/// @param meeting  1 where the light stays, 0 where the plain sum takes its place.
void replace_by_plain_row(const float* sum, const float* total, const float* meeting, float* light,
                          int width);

}  // namespace moorhaze
