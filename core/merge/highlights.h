#pragma once
#include <opencv2/core.hpp>
#include <vector>

#include "core/work/job.h"

namespace moorhaze {

/// Finds clipped highlights and the frame that shows each sharp. The disc that a highlight's blur makes is
/// still clipped over many frames, the larger the farther off, and its edge is as sharp as the highlight's
/// own: around it the sharpest frame is one that spreads it. The frame of its depth is the one that clips
/// least of the picture around, among those that clip at all.
class Highlights {
  public:
    /// @param size  of the planes, half the picture's.
    explicit Highlights(cv::Size size) : size_(size) {}

    /// Frames come in order, each once.
    /// @param luma  of a frame, on a square-root scale: 1 is full.
    void add(const cv::Mat1f& luma);

    /// The frame, from 0, that highlights and what their discs covered is to come from; -1 elsewhere.
    /// @throws Cancelled.
    cv::Mat1s frames(const Job& job) const;

  private:
    struct Run {
        int y, begin, end;
    };
    cv::Size size_;
    std::vector<std::vector<Run>> clipped_;  ///< of each frame
};

}  // namespace moorhaze
