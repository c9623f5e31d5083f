// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "tests/support/series_files.h"

namespace moorhaze::test {

/// A picture whose every place lies at a known depth, as our simulated lens shoots it.
struct LensScene {
    cv::Mat3f light;  ///< linear, red, green, blue, 0..1: what a lens without blur would show
    cv::Mat1f depth;  ///< 0 near to 1 far
};

/// A hand-held focus bracket.
struct LensSettings {
    int frames = 14;
    double blur_per_frame_px = 1.3;  ///< by how much the radius of the blur disc grows from frame to frame
    double breathing = 0.04;         ///< how much larger the nearest frame shows things than the farthest
    double shake_px = 4, shake_deg = 0.25;  ///< standard deviations from frame to frame
    double flicker = 0.06;                  ///< standard deviation of the gain's logarithm
    double noise = 0.004;                   ///< of encoded values at mid grey
    unsigned seed = 1;
};

/// What was shot, and the truth of it, as the rig's.
struct LensSeries {
    Series series;
    std::vector<cv::Matx33d> matrices;  ///< frame pixels to reference pixels
    std::vector<double> gains;          ///< light of the frame by light of the reference
    cv::Mat1f depth;                    ///< frame numbers from 1, not whole
    Picture sharp;                      ///< 16 bit, as the reference frame lies
    int reference = 0;                  ///< index
};

/// Shoots the scene: for each frame all depths are blurred by their discs and warped onto each other from far
/// to near, what a near part hides being filled from around it; then the whole is moved, flickers and gets
/// noise. Resampled by the library's Lanczos kernel (OpenCV), not ours. Written as 16-bit TIFF.
LensSeries shoot_with_lens(const Scratch& scratch, const LensScene& scene, const LensSettings& settings);

}  // namespace moorhaze::test
