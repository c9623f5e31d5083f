// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/merge/aligned_frames.h"

namespace moorhaze {

/// All frames over the same target at once, at a reduced size: square roots of linear light, 16 bit.
struct FrameStack {
    std::vector<cv::Mat> frames;  ///< CV_16UC3; empty where a frame could not be read
    double shrink = 1;            ///< pixels of the target per pixel of the stack

    int count() const { return int(frames.size()); }
    bool has(int place) const { return place >= 0 && place < count() && !frames[std::size_t(place)].empty(); }
    /// Linear light of a frame that is there.
    cv::Mat3f light(int place, cv::Rect part) const;
    cv::Mat3f light(int place) const { return light(place, cv::Rect({}, frames[std::size_t(place)].size())); }
};

/// @param size      of the stack, no larger than the target.
/// @param problems  takes those of frames that cannot be read.   @throws Cancelled.
FrameStack frame_stack_of(AlignedFrames& frames, cv::Size size, std::vector<FrameProblem>& problems,
                          const Job& job);

/// A plane at another size; itself where it has that.
/// @param how  as cv::resize takes it: cv::INTER_AREA, or cv::INTER_NEAREST for numbers that name something.
cv::Mat resized_plane(const cv::Mat& plane, cv::Size size, int how);

}  // namespace moorhaze
