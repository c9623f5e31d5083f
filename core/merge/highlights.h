// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <opencv2/core.hpp>
#include <vector>

#include "core/merge/aligned_frames.h"

namespace moorhaze {

/// What Highlights::frames() says where there is none, and around one whose frame cannot be told.
constexpr short kNoHighlight = -1, kUnknownFrame = -2;

/// Finds clipped highlights and the frame that shows each sharp. The disc that a highlight's blur makes is
/// still clipped over many frames, the larger the farther off, and its edge is as sharp as the highlight's
/// own: around it the sharpest frame is one that spreads it. The frame of its depth is the one that clips
/// least of the picture around, among those that clip at all, and areas rise from it on both sides. A surface
/// that is just about as bright as the frames can show is none: more of it is nearly clipped than clipped.
class Highlights {
  public:
    /// Over the frames' target.
    explicit Highlights(const AlignedFrames& frames);
    /// @param size       of the planes, half the target's.
    /// @param long_side  of a whole frame, px of these planes.
    Highlights(cv::Size size, int long_side) : size_(size), long_side_(long_side) {}

    /// Frames come in order, each once.
    /// @throws Cancelled.
    void add(const WarpedFrame& frame, const Job& job);
    /// @param clipped  where a frame is clipped;  @param bright  and where it is nearly so or more.
    void add(std::vector<ClippedRun> clipped, std::vector<ClippedRun> bright);

    /// The frame, from 0, that highlights and what their discs covered is to come from; kUnknownFrame around
    /// those whose frame cannot be told, kNoHighlight elsewhere.
    /// @throws Cancelled.
    cv::Mat1s frames(const Job& job) const;

  private:
    cv::Size size_;
    int long_side_;
    std::vector<std::vector<ClippedRun>> clipped_, bright_;  ///< of each frame
};

/// Lays the highlights' own frames over a merge that goes by no depth.
/// @param highlights  as Highlights::frames() tells them, counted among those read.
/// @param read        places in `frames` of those that were read.
/// @param source      takes the frames' numbers, from 1.
/// @param merged      linear light.   @return  frames that cannot be read any more.   @throws Cancelled.
std::vector<FrameProblem> lay_highlights(const cv::Mat1s& highlights, const std::vector<int>& read,
                                         AlignedFrames& frames, cv::Mat3f& merged, cv::Mat1w& source,
                                         const Job& job);

}  // namespace moorhaze
