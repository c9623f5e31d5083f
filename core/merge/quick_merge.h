// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <mutex>
#include <optional>

#include "core/align/series_geometry.h"
#include "core/merge/sharp_frames.h"

namespace moorhaze {

/// Previews of all frames as they come, from any thread. Of more than 100 frames they are kept smaller, so
/// that a long series takes no more memory than that.
class PreviewShelf {
  public:
    explicit PreviewShelf(int frames);
    void put(int frame, const cv::Mat3b& preview);
    /// All of them; empty ones were not put. Not while others still put.
    const std::vector<cv::Mat3b>& pictures() const { return pictures_; }

  private:
    double shrink_ = 1;
    std::mutex guard_;
    std::vector<cv::Mat3b> pictures_;
};

/// Lays previews of frames over each other, roughly: for looking, not for delivering. A size of
/// 400 px is enough for that.
/// @param previews  RGB, all of one size; empty ones stand for unreadable frames.
/// @return  in preview pixels; unreadable frames are not registered. Thread-safe. @throws Cancelled.
SeriesGeometry register_previews(const std::vector<cv::Mat3b>& previews, const Job& job);

/// Merges any frames of a series at screen resolution within a fraction of a second, so that one sees whether
/// a range looks flat or deep: an even blend that leans strongly towards the sharpest. Immutable,
/// thread-safe.
class QuickMerge {
  public:
    /// Lays the previews over each other and keeps how sharp each is where: 4 bytes a pixel and frame, and
    /// for a while 15 a pixel.
    /// @param geometry  of the previews, from register_previews(); frames that are not registered are left
    /// out.
    /// @throws Cancelled.
    QuickMerge(const std::vector<cv::Mat3b>& previews, const SeriesGeometry& geometry, const Job& job);

    /// @param frames  indices, any order; those that were left out are passed over.
    /// @return        RGB in the geometry's reference plane; grey where none of them reaches. Empty when
    /// there
    ///                is none at all.   @throws Cancelled.
    cv::Mat3b merge(const std::vector<int>& frames, const Job& job) const;

    /// The frames that are sharpest at a place that was pointed at in one of the frames: none where nothing
    /// is sharp or no frame reaches.
    /// @param across, down  0..1 of the picture.
    /// @param shown         the frame in which the place was pointed at; -1: the reference plane.
    SharpFrames sharp_at(double across, double down, int shown) const;

    /// The frames that are sharpest along a line of such places, from the nearest to the farthest, with
    /// `spare` more at both ends: a margin for what lies beside the line. Places where nothing gets sharp,
    /// like the backdrop, tell nothing, and a few places that tell another depth than all others, as between
    /// hairs, don't widen the range.
    /// @return nothing when no place tells a frame.
    std::optional<FrameRange> range_along(const std::vector<cv::Point2d>& places, int shown, int spare) const;

    /// The same with frames in another order: `order[k]` is the old index of the new k-th.
    QuickMerge reordered(const std::vector<int>& order) const;

    cv::Size size() const { return size_; }
    const SeriesGeometry& geometry() const { return geometry_; }

  private:
    struct Warped {
        cv::Mat3b pixels;
        cv::Mat1b sharpness;  ///< 1..255 logarithmic; 0: not covered
    };
    std::vector<RowSpan> covered(std::size_t frame) const;
    std::vector<Warped> warped_;
    SeriesGeometry geometry_;
    cv::Size size_;
    SharpMap sharp_;
};

}  // namespace moorhaze
