#pragma once
#include <vector>

#include "core/merge/depth_merge.h"

namespace moorhaze {

/// What the sharpness of all frames says about depth. Planes at half size, (n+1)/2 a side; places in the
/// series of frames that were added, from 0.
struct DepthField {
    cv::Mat1f depth;  ///< not whole; of untrusted places that of what surrounds them, the nearer side first
    cv::Mat1f trust;  ///< 0..1: how far the peak stands above noise and above the other frames
    cv::Mat1f nearest, farthest;  ///< of what meets within a few pixels
    double blur_px = 1;           ///< how much wider blur gets from frame to frame, px of full size
};

/// Where the backdrop lies: places below the trust floor that hang together over more than `reach_px`, so
/// that small smooth spots of the subject are none.
/// @param trust  0..1.   @return 255 in the backdrop, 0 elsewhere.
cv::Mat1b backdrop_of(const cv::Mat1f& trust, double trust_floor, int reach_px);

inline constexpr int kBackdropReach = 16;  ///< px of full size

/// The place among the frames read of the one that the settings choose for the backdrop.
/// @throws BadParameter when it is not among them.
int place_of_backdrop(const MergeSettings& settings, const AlignedFrames& frames,
                      const std::vector<int>& read);

/// Tells before anything is read what place_of_backdrop would tell after it.   @throws BadParameter.
void check_backdrop(const MergeSettings& settings, const AlignedFrames& frames);

/// Measures depth from the energy of Laplacian bands of perceptual luma, one frame after the other: sharpness
/// curves at five sizes of detail, the finest that stands out of the noise decides. Holds about 15 bytes a
/// pixel. Source of the measure by bands: Burt & Adelson, IEEE Trans. Comm. 31(4), 1983; of depth by the
/// curve's peak: Nayar & Nakagawa, IEEE PAMI 16(8), 1994.
class FocusDepth {
  public:
    /// @param detail_size_px  neighbourhood judged at each size of detail, in its own pixels.
    FocusDepth(cv::Size size, double detail_size_px);

    /// @param energies  band_energy with a sigma of kGathered of each size of detail, from full size on, each
    /// half the one before; at least one.   @throws Cancelled.
    void add(const std::vector<cv::Mat1f>& energies, const Job& job);
    static constexpr double kGathered = 1;  ///< px of the own size

    /// @param trust_floor  0..1: places less trusted get the depth around them.
    /// @param reach_px     what lies so near together counts as meeting, px of full size.
    DepthField finish(double trust_floor, int reach_px, const Job& job) const;

    int count() const { return count_; }

  private:
    struct Size {
        SharpnessPeaks peaks;
        double noise = 0;  ///< sum over the frames
    };
    double blur_px() const;
    cv::Size half_;
    double sigma_;
    int count_ = 0;
    std::vector<Size> sizes_;  ///< finest first; the first two at half size, then each half the one before
};

}  // namespace moorhaze
