#pragma once
#include <functional>
#include <string>
#include <vector>

#include "core/merge/aligned_frames.h"

namespace moorhaze {

struct MergeSettings {
    double detail_size_px = 4;  ///< neighbourhood judged; 1..40. Small for fine detail, larger against noise
    double seam_width_px = 2;   ///< softness of the seams between frames; 0..40
    double trust_floor =
        0.30;  ///< 0..1: places whose sharpness curve stands out less get the depth around them
    /// Number from 1 of the frame that fills what is never sharp; 0: the frames of the depth around. Woven
    /// and depth map.
    int backdrop_frame = 0;
    bool glare_guard = true;  ///< never outside what the frames hold at that place and next to it
    bool grain_guard = true;  ///< woven: detail that does not stand out of the noise is averaged, not chosen
    bool operator==(const MergeSettings&) const = default;
};

struct MergeResult {
    Picture picture;   ///< 16 bit, in the reference frame's profile; alpha only where places are not covered
    cv::Mat1w source;  ///< frame number from 1 that supplied the place (most of it); 0 where none did
    cv::Mat1f depth;   ///< frame number from 1, not whole
    cv::Mat1f trust;   ///< 0..1, how sure the depth is; empty for methods without a depth map
    PixelRect area;    ///< of the reference plane
    std::string method;
    MergeSettings settings;
    std::vector<FrameProblem> problems;  ///< frames that could not be read on the way
};

/// One way to merge. All stream: no more than two frames are held, whatever their number.
struct MergeMethod {
    std::string name;         ///< for the command line
    std::string title;        ///< for the window
    std::string description;  ///< when to use it, one sentence
    MergeResult (*merge)(AlignedFrames& frames, const MergeSettings& settings, const Job& job);
};

/// All methods, the default first; command line and window read this.
const std::vector<MergeMethod>& merge_methods();

/// @throws BadParameter naming the methods there are.
const MergeMethod& merge_method(const std::string& name);

/// @throws BadParameter naming the setting and its range.
void check(const MergeSettings& settings);

}  // namespace moorhaze
