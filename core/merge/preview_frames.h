// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/merge/merge.h"

namespace moorhaze {

/// What all frames show of one small area of the reference plane, held in memory: merges of it can be tried
/// with one setting after the other without reading a file again. Immutable; thread-safe. About 3 or 6 bytes
/// a pixel and frame, by the files' depth.
class PreviewFrames {
  public:
    /// Reads every frame once. The copies of series and geometry are its own.
    /// @param area   of the reference plane; what detail at its rims goes by is read around it.
    /// @param whole  what a merge of all would fill; no more than that is tried.
    /// @throws BadParameter when the two have nothing in common, Cancelled.
    PreviewFrames(const Series& series, const SeriesGeometry& geometry, const std::vector<int>& frames,
                  PixelRect area, PixelRect whole, const Job& job);

    /// A part of the area merged as a merge of the whole would.
    /// @param part    in reference pixels; what of it lies in the area is merged.
    /// @param statistics  of a merge of the same frames; null: the area itself has to tell what noise is.
    /// @throws as the method.
    MergeResult merge(const MergeMethod& method, const MergeSettings& settings,
                      const MergeStatistics* statistics, PixelRect part, const Job& job) const;

    PixelRect area() const { return area_; }
    std::size_t bytes() const;

  private:
    Series series_;
    SeriesGeometry geometry_;
    std::vector<int> frames_;
    PixelRect area_, whole_, read_;
    std::vector<Outcome<FramePixels>> parts_;  ///< by index of the series
};

}  // namespace moorhaze
