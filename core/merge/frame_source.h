// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <memory>
#include <optional>

#include "core/merge/aligned_frames.h"
#include "core/series/frame_shelf.h"

namespace moorhaze {

/// Any frame of a series over any part of the reference plane, decoded by way of a shelf: for looking,
/// sounding and mending, which jump about. Merges, which read each frame once, use AlignedFrames. Immutable,
/// thread-safe.
class FrameSource {
  public:
    /// @throws FileError when the reference frame cannot be read.
    FrameSource(Series series, SeriesGeometry geometry, std::shared_ptr<FrameShelf> shelf);

    /// @param frame  index from 0.   @throws FileError, BadParameter, Cancelled.
    LinearFrame load(int frame, PixelRect area, const Job& job) const;
    /// The index of a frame; nothing when the series has none of that name.
    std::optional<int> index_of(FrameId frame) const;

    /// Curve and profile of the reference frame: what merges are written in.
    const ToneCurve& curve() const { return curve_; }
    const ColourProfile& profile() const { return profile_; }
    const SeriesGeometry& geometry() const { return geometry_; }
    const Series& series() const { return series_; }

  private:
    std::shared_ptr<const Picture> decoded(int frame) const;

    Series series_;
    SeriesGeometry geometry_;
    std::shared_ptr<FrameShelf> shelf_;
    ColourProfile profile_;
    ToneCurve curve_;
};

/// 16-bit picture of a warped frame, transparent where the frame has no pixels.
Picture picture_of(const LinearFrame& frame, const ToneCurve& curve, const ColourProfile& profile);

}  // namespace moorhaze
