// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <vector>

#include "core/merge/coverage.h"
#include "core/merge/highlights.h"
#include "core/merge/merge.h"
#include "core/merge/noise_floor.h"
#include "core/merge/sharpness_peaks.h"

namespace moorhaze {

/// What the sharpness of all frames says about depth. Planes at half size, (n+1)/2 a side; places in the
/// series of frames that were added, from 0.
struct DepthField {
    cv::Mat1f depth;  ///< not whole; of untrusted places that of what surrounds them, the nearer side first
    cv::Mat1f trust;  ///< 0..1: how far the peak stands above noise and above the other frames
    cv::Mat1f nearest, farthest;  ///< of what meets within a few pixels
    cv::Mat1f calm;               ///< 0..1: 1 where fine detail of no frame stands out of the noise
    double blur_px = 1;           ///< how much wider blur gets from frame to frame, px of full size
};

/// Where the backdrop lies: places below the trust floor that hang together over more than `reach_px`, so
/// that small smooth spots of the subject are none.
/// @param trust  0..1.   @return 255 in the backdrop, 0 elsewhere.
cv::Mat1b backdrop_of(const cv::Mat1f& trust, double trust_floor, int reach_px);

/// Checks before anything is read that the backdrop's frame is not among those merged.   @throws
/// BadParameter.
void check_backdrop(const MergeSettings& settings, const AlignedFrames& frames);

/// Pyramid levels that a picture is merged at: downsampled until its shorter side has hardly a dozen places,
/// and at least once more than FrameDetail has in blocks.
int detail_levels(cv::Size target);

/// A frame's luma and energies at its pyramid levels; the finest is known at half size.
struct PyramidBands {
    std::vector<cv::Mat1f> luma;  ///< at half size and less, each half the one before; as many as energies
    /// Of the finest size, at half size, then of each luma but the last: squared difference from the next
    /// coarser size, gathered over FrameDetail::kGathered; 0 where the frame has no pixels.
    std::vector<cv::Mat1f> energy;
    Coverage coverage;  ///< of the target
    /// How often the plane of an energy was downsampled by 2.
    static int level_of(std::size_t which) { return std::max(1, int(which)); }
};
PyramidBands pyramid_bands(const DownsampledFrame& frame, int levels, const Job& job);

inline constexpr int kDepthBands = 5;  ///< pyramid levels that depth is measured by, finest first

/// The energies that depth goes by: of the finest three sizes together, then of each but the finest; the
/// first two at half size, each gathered over the neighbourhood judged.   Thread-safe.
class DepthMeasure {
  public:
    /// @param detail_size_px  neighbourhood judged at each pyramid level, in its own pixels.
    explicit DepthMeasure(double detail_size_px) : sigma_(detail_size_px * 0.625) {}

    /// @param energies  as PyramidBands has them.
    cv::Mat1f gathered(const std::vector<cv::Mat1f>& energies, std::size_t which, const Job& job) const;

    /// What noise alone gives in a frame, where it has pixels.
    static double noise_of(const PyramidBands& sizes, std::size_t which, const cv::Mat1f& gathered);

    /// Adds a frame's noise at each size.
    void add_noise(const PyramidBands& sizes, NoiseFloor& noise, const Job& job) const;

  private:
    double sigma_;
};

/// Measures depth from the energy of Laplacian bands of perceptual luma, one frame after the other: sharpness
/// curves at five pyramid levels, the finest that stands out of the noise decides. Holds about 15 bytes a
/// pixel. Source of the measure by bands: Burt & Adelson, IEEE Trans. Comm. 31(4), 1983; of depth by the
/// curve's peak: Nayar & Nakagawa, IEEE PAMI 16(8), 1994.
class FocusDepth {
  public:
    /// @param detail_size_px  neighbourhood judged at each pyramid level, in its own pixels.
    FocusDepth(cv::Size size, double detail_size_px);

    /// @param sizes  at least one.   @throws Cancelled.
    void add(const PyramidBands& sizes, const Job& job);

    /// What noise alone gives at each pyramid level, as far as the frames so far tell.
    std::vector<double> noise() const;
    /// Goes by this noise instead of the frames' own: that of the whole picture, when this is a part of it.
    void set_noise(const std::vector<double>& noise) { known_noise_ = noise; }

    /// Depth as far as it is known, small: at most about 1000 places across. Places of frames from 0; below 0
    /// where nothing stands out of the noise yet.
    cv::Mat1f so_far() const;

    /// @param trust_floor  0..1: places less trusted get the depth around them.
    /// @param reach_px     what lies so near together counts as meeting, px of full size.
    /// @param highlights   frame that a place has to come from, as Highlights tells it; may be empty.
    DepthField finish(double trust_floor, int reach_px, const Job& job,
                      const cv::Mat1s& highlights = {}) const;

    int count() const { return count_; }

  private:
    double blur_px(const std::vector<double>& noise) const;
    cv::Size half_;
    DepthMeasure measure_;
    std::vector<double> known_noise_;
    int count_ = 0;
    std::vector<SharpnessPeaks> sizes_;  ///< finest first; the first two at half size, then each half the one
                                         ///< before
    NoiseFloor noise_{kDepthBands};
};

/// The first pass of merges that go by depth.
struct Focus {
    std::vector<int> read;      ///< places of frames that could be read, which the field's depths count
    DepthField field;           ///< with the backdrop's frame where the settings choose one
    std::vector<double> noise;  ///< as FocusDepth::noise()
    cv::Mat1s highlights;       ///< as Highlights::frames()
};
/// @param result  takes the problems of frames that cannot be read.
/// @param each    called with every frame that was read, in order; may be empty.
/// @throws BadParameter, FileError when no frame can be read, Cancelled.
Focus focus_of(AlignedFrames& frames, const MergeSettings& settings, const MergeContext& context,
               MergeResult& result, const std::function<void(const PyramidBands&)>& each, const Job& job);

/// A plane at half size, each place four times.
cv::Mat1f at_full_size(const cv::Mat1f& half, cv::Size size);

}  // namespace moorhaze
