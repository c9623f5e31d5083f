#pragma once
#include <vector>

#include "core/merge/focus_depth.h"

namespace moorhaze {

/// Finds out, one frame after the other, what only all of a picture tells. Not thread-safe.
class Surveyor {
  public:
    /// @param levels  sizes of detail that frames come with.
    Surveyor(PixelRect area, int levels);

    /// Frames come in order, each once.
    void add(const DetailSizes& sizes, const Job& job);

    /// @param depth_noise  as FocusDepth::noise(), of a neighbourhood of `detail_size_px`.
    /// @throws Cancelled.
    MergeSurvey finish(std::vector<double> depth_noise, double detail_size_px, const Job& job) const;

  private:
    PixelRect area_;
    int halvings_;
    std::vector<double> noise_;  ///< sums over the frames
    std::vector<cv::Mat1f> light_, sharpness_;
};

/// The survey alone, for merges that go in parts: one pass over the files, about 16 bytes a pixel.
/// @throws FileError when no frame can be read, Cancelled.
MergeSurvey survey_frames(AlignedFrames& frames, const MergeSettings& settings, const Job& job);

}  // namespace moorhaze
