// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <opencv2/core.hpp>
#include <vector>

#include "core/merge/aligned_frames.h"

namespace moorhaze {

/// Finds clipped highlights and the frame that shows each sharp. The disc that a highlight's blur makes is
/// still clipped over many frames, the larger the farther off, and its edge is as sharp as the highlight's
/// own: around it the sharpest frame is one that spreads it. The frame of its depth is the one that clips
/// least of the picture around, among those that clip at all. A surface that is just about as bright as the
/// frames can show is none: more of it is nearly clipped than clipped.
class Highlights {
  public:
    /// @param size  of the planes, half the picture's.
    explicit Highlights(cv::Size size) : size_(size) {}

    /// Frames come in order, each once.
    /// @throws Cancelled.
    void add(const WarpedFrame& frame, const Job& job);
    /// @param clipped  where a frame is clipped;  @param bright  and where it is nearly so or more.
    void add(std::vector<ClippedRun> clipped, std::vector<ClippedRun> bright);

    /// The frame, from 0, that highlights and what their discs covered is to come from; -1 elsewhere.
    /// @throws Cancelled.
    cv::Mat1s frames(const Job& job) const;

  private:
    cv::Size size_;
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
