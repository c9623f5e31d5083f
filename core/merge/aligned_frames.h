#pragma once
#include <future>

#include "core/align/series_geometry.h"

namespace moorhaze {

/// The chosen frames of a series one after the other, each laid over the same part of the reference plane, in
/// linear light and levelled. While one is worked on, the next is being decoded. Holds at most two pictures.
/// Not thread-safe; refers to the series and geometry it was made from.
class AlignedFrames {
  public:
    /// @param frames  indices; those that are not registered are passed over.
    /// @throws FileError when the reference frame's profile cannot be read.
    AlignedFrames(const Series& series, const SeriesGeometry& geometry, const std::vector<int>& frames,
                  PixelRect target);

    int count() const { return int(frames_.size()); }
    int index(int place) const { return frames_[std::size_t(place)]; }
    PixelRect target() const { return target_; }
    const ToneCurve& curve() const { return curve_; }
    const ColourProfile& profile() const { return profile_; }

    /// The frame at a place 0..count-1; quickest in rising order. A frame that cannot be read is a problem of
    /// its own; the series goes on.   @throws Cancelled.
    Outcome<LinearFrame> load(int place, const Job& job);
    /// The same of luminance alone, for measures.
    Outcome<LumaFrame> load_luma(int place, const Job& job);

  private:
    std::future<Outcome<Picture>> begin_decoding(int place) const;
    Outcome<Picture> decoded(int place);

    const Series& series_;
    const SeriesGeometry& geometry_;
    std::vector<int> frames_;
    PixelRect target_;
    ColourProfile profile_;
    ToneCurve curve_;
    int waiting_place_ = -1;
    std::future<Outcome<Picture>> waiting_;
};

/// One decoded frame laid over the reference plane: what AlignedFrames does with each.   Thread-safe.
LinearFrame lay_over(const Picture& picture, const ToneCurve& curve, const SeriesGeometry& geometry,
                     int frame, PixelRect target, const Job& job);

}  // namespace moorhaze
