// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <opencv2/core.hpp>

#include "core/merge/coverage.h"
#include "core/work/job.h"

namespace moorhaze {

/// What the sharpness curves of all places say, one frame after the other.
class SharpnessPeaks {
  public:
    explicit SharpnessPeaks(cv::Size size);

    /// Frames come in order, each once. Where a frame has no pixels it says nothing about the curve.
    /// @param level  how often the plane was downsampled by 2 from what `coverage` counts in.
    void add(const cv::Mat1f& sharpness, const Coverage& coverage, int level, const Job& job);

    /// Place of the peak, in frames from 0 as added, not whole: by the parabola through the logarithms of the
    /// strongest value and its neighbours.
    cv::Mat1f depth(const Job& job) const;

    /// 0..1: how far the strongest value stands above the others: above the middle between their mean and
    /// their least, so that a short series of slight blur is trusted, too. Noise alone stays low, whatever
    /// its strength.
    /// @param quiet  what is well below the noise of any camera: it only keeps exact zeros from counting.
    cv::Mat1f trust(const Job& job, float quiet = 1e-4f) const;

    /// The mean of the values one frame before and after the strongest; 0 where there is only one of them.
    float beside(int y, int x) const {
        return left_(y, x) > 0 && right_(y, x) > 0 ? (left_(y, x) + right_(y, x)) / 2 : 0;
    }

    /// Place of the strongest value, whole.
    int place(cv::Point at) const { return place_(at); }

    /// Strongest value of each place.
    const cv::Mat1f& strongest() const { return best_; }

  private:
    int count_ = 0;
    cv::Mat1f best_, left_, right_, previous_, sum_, least_;
    cv::Mat1w place_;
    cv::Mat1w frames_;  ///< that cover each place; empty while all do
};

}  // namespace moorhaze
