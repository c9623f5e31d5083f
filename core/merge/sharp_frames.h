// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "core/merge/focus_depth.h"

namespace moorhaze {

/// The frames that are sharpest at a place.
struct SharpFrames {
    struct Own {
        int frame = 0;         ///< index from 0
        double certainty = 0;  ///< 0..1
        bool operator==(const Own&) const = default;
    };
    /// The surest first: one, or two where two depths meet in what is looked at; empty: no frame is sharp
    /// there.
    std::vector<Own> frames;
    /// Of each frame that was asked, in their order: how much of what is looked at is sharpest in it, 0..1.
    std::vector<double> shares;
    bool operator==(const SharpFrames&) const = default;
};

/// How far around a place a person judges it, px, where nothing else is said: some millimetres of a picture
/// that is seen whole.   @param frame  its size.
double usual_reach(cv::Size frame);

/// The part of the reference plane that has to be at hand to judge a place.
PixelRect part_to_judge(cv::Point2d place, double reach_px);

/// Which frames are sharpest where, over a whole plane: 8 bytes for four of its pixels. Immutable,
/// thread-safe.
class SharpMap {
  public:
    /// No frame was asked: nothing is sharp anywhere.
    SharpMap() = default;

    /// What is sharpest at a place: over the neighbourhood that is seen, weighed towards the place. Every
    /// pixel of it votes for the frame that its curve peaks at, with as much weight as its curve is to be
    /// trusted; what most agree on is the answer, and what many others agree on is another.
    /// @param place     pixels of the plane.   @param reach_px  how far what is looked at reaches from it.
    SharpFrames at(cv::Point2d place, double reach_px) const;

    /// The same with frames in another order: `order[k]` is the old index of the new k-th.
    SharpMap reordered(const std::vector<int>& order) const;

  private:
    friend class SharpMapMaker;
    cv::Mat1f depth_, trust_;  ///< as DepthField has them; depths count `read_`
    std::vector<int> read_;    ///< the frames that were asked, in order
};

/// Makes a map from the frames, handed over one by one and not kept, by the depth measure of merges: across
/// the scales that show no blur of what lies near by, above each scale's noise, the finest that stands out of
/// it first (see FocusDepth). About 15 bytes a pixel. Not thread-safe.
class SharpMapMaker {
  public:
    explicit SharpMapMaker(cv::Size plane);

    /// @param frame    its index; they come near to far, those that cannot be read or placed are left out.
    /// @param luma     of the size of the plane, on a square-root scale (see luma.h) or one much like it.
    /// @param covered  per row, where the frame has pixels.   @throws BadParameter for another size,
    /// Cancelled.
    void add(int frame, const cv::Mat1f& luma, const std::vector<RowSpan>& covered, const Job& job);

    /// @throws Cancelled.
    SharpMap finish(const Job& job) const;

  private:
    cv::Size plane_;
    FocusDepth depth_;
    std::vector<int> read_;
};

/// What is sharpest at one place of full-size frames: a SharpMap of what lies around it. Not thread-safe.
class SharpAtPlace {
  public:
    /// @param place     reference pixels.   @param reach_px  how far what is looked at reaches from it, >= 4.
    /// @throws BadParameter.
    SharpAtPlace(cv::Point2d place, double reach_px);

    /// @param frame  as in SharpMapMaker.
    /// @param patch  what it shows of part_to_judge().   @throws BadParameter for another size, Cancelled.
    void add(int frame, const LinearFrame& patch, const Job& job);

    /// What they say; of no frame nothing.   @throws Cancelled.
    SharpFrames frames(const Job& job) const;
    PixelRect part() const { return part_; }

  private:
    cv::Point2d place_;
    double reach_px_;
    PixelRect part_;
    SharpMapMaker around_;
};

}  // namespace moorhaze
