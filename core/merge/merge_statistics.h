// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "core/merge/focus_depth.h"

namespace moorhaze {

/// Finds out, one frame after the other, what only all of a picture tells. Not thread-safe.
class StatisticsGatherer {
  public:
    /// @param levels  pyramid levels that frames come with.
    StatisticsGatherer(PixelRect area, int levels);

    /// Frames come in order, each once.
    void add(const PyramidBands& sizes, const Job& job);

    /// @param depth_noise  as FocusDepth::noise(), of a neighbourhood of `detail_size_px`.
    /// @throws Cancelled.
    MergeStatistics finish(std::vector<double> depth_noise, double detail_size_px, const Job& job) const;

  private:
    PixelRect area_;
    int downsamplings_;
    NoiseFloor noise_;
    std::vector<cv::Mat1f> light_, sharpness_;
};

/// The statistics alone, for merges that go in parts: one pass over the files, about 16 bytes a pixel.
/// @throws FileError when no frame can be read, Cancelled.
MergeStatistics gather_statistics(AlignedFrames& frames, const MergeSettings& settings, const Job& job);

}  // namespace moorhaze
