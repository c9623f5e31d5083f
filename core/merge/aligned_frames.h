// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <future>

#include "core/align/series_geometry.h"
#include "core/picture/warped_frame.h"
#include "core/series/frame_shelf.h"

namespace moorhaze {

/// A frame, or a part of it, as it lies in its file.
struct FramePixels {
    Picture picture;
    FramePart part;
};

/// The chosen frames of a series one after the other, each warped to the same part of the reference plane, in
/// linear light and levelled. While one is worked on, the next is being decoded. Holds at most two pictures.
/// Not thread-safe; refers to the series and geometry it was made from.
class AlignedFrames {
  public:
    /// Gives the pixels of a frame by its index: at least what the target needs. From any thread.
    using Reader = std::function<Outcome<FramePixels>(int frame)>;

    /// @param frames  indices; those that are not registered are passed over.
    /// @param reader  by default the frames' files are decoded.
    /// @throws FileError when the reference frame's profile cannot be read.
    AlignedFrames(const Series& series, const SeriesGeometry& geometry, const std::vector<int>& frames,
                  PixelRect target, Reader reader = {});

    int count() const { return int(frames_.size()); }
    int index(int place) const { return frames_[std::size_t(place)]; }
    PixelRect target() const { return target_; }
    const SeriesGeometry& geometry() const { return geometry_; }
    cv::Size frame_size() const { return series_.size(); }
    const ToneCurve& curve() const { return curve_; }
    const ColourProfile& profile() const { return profile_; }

    /// The frame at a place 0..count-1; quickest in rising order. A frame that cannot be read is a problem of
    /// its own; the series goes on.
    Outcome<WarpedFrame> open(int place);
    /// All of it.   @throws Cancelled.
    Outcome<LinearFrame> load(int place, const Job& job);

    /// Where frames lie in the target, without reading them.
    std::vector<RowSpan> covered(int place) const;

  private:
    std::future<Outcome<FramePixels>> begin_decoding(int place) const;
    Outcome<FramePixels> decoded(int place);
    /// Each frame is decoded with its own profile's curve; the result is written with the reference frame's.
    ToneCurve curve_of(const Picture& picture) const;

    const Series& series_;
    const SeriesGeometry& geometry_;
    Reader reader_;
    std::vector<int> frames_;
    PixelRect target_;
    ColourProfile profile_;
    ToneCurve curve_;
    int waiting_place_ = -1;
    std::future<Outcome<FramePixels>> waiting_;
};

/// Reads frames by way of a shelf; null: each is decoded. Refers to the series.
AlignedFrames::Reader reader_of(const Series& series, FrameShelf* shelf);

/// Where a frame's pixels go in a part of the reference plane.
WarpPlan plan_of(const SeriesGeometry& geometry, int frame, PixelRect target);

/// One decoded frame warped to the reference plane: what AlignedFrames does with each.   Thread-safe.
LinearFrame warp_frame(const Picture& picture, const ToneCurve& curve, const SeriesGeometry& geometry,
                       int frame, PixelRect target, const Job& job);

}  // namespace moorhaze
