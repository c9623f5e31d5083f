// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>
#include <vector>

#include "core/series/frame_shelf.h"
#include "core/series/series.h"

namespace moorhaze {

/// How sharp one frame is, where, in the frame's own geometry.
struct FocusProfile {
    cv::Mat1f
        sharpness;  ///< grid of cells over the picture, ≥ 0: contrast of fine detail above the frame's noise
    cv::Mat4f directed;     ///< the same grid: contrast along 0, 45, 90 and 135 degrees (y runs down), ≥ 0
    cv::Mat1f light;        ///< the same grid: mean linear light, 0..1
    double brightness = 0;  ///< mean linear light, 0..1
    cv::Mat1f view;         ///< the picture itself, 240 px long, square root of luminance
    double red = 0, blue = 0;  ///< log2 of the mean of the encoded channel by that of green
    double clipped = 0;        ///< share of pixels at full scale, 0..1
    double lag_px = 0;         ///< frame pixels between the places that `directed` compares
    std::string colours;       ///< name of the picture's colour profile
};

/// What one decoding of a frame gives.
struct FrameLook {
    FocusProfile profile;
    cv::Mat3b preview;  ///< RGB, sRGB; kPreviewLongSide px long, or as long as the picture if that is shorter
};
inline constexpr int kPreviewLongSide = 1200;

/// Looks at one frame, decoded to at most about 3000 px. The grid has about 96 cells on its long side.
/// @return the profile and a preview, or why the frame cannot be read.   Thread-safe.
/// @param shelf  where decoded frames lie; null: nowhere.
Outcome<FrameLook> look_at(const Frame& frame, int frame_index, FrameShelf* shelf, const Job& job);
/// The profile alone.
Outcome<FocusProfile> focus_profile(const Frame& frame, int frame_index, const Job& job);

/// Why a frame should perhaps be left out. Nothing is left out without the person's word.
struct FrameFlag {
    std::string kind;  ///< "unsharp", "duplicate", "misfire", "band", "bump", "moved", "framing", "exposure"
    std::string reason;  ///< in words, with its number
    double value = 0;
};

/// A depth that no frame has sharp.
struct FocusGap {
    int after = 0, before = 0;  ///< frame indices from 0
    double missing = 0;         ///< how many steps at least
};

/// What the profiles say about the whole series.
struct SeriesProfile {
    std::vector<double> share;  ///< per frame: part of all cells that is sharpest in it, 0..1
    std::vector<std::vector<FrameFlag>> flags;
    std::vector<FocusGap> gaps;
    int suggested_reference = 0;  ///< the frame with most of the subject sharp
};

/// @param profiles  one per frame, near to far, all of one grid; an empty grid stands for an unreadable
/// frame.
SeriesProfile profile_series(const std::vector<FocusProfile>& profiles);

/// The sharpness of a place in one frame, between cells; `x`, `y` are 0..1 across and down the picture.
float sharpness_at(const FocusProfile& profile, double x, double y);

}  // namespace moorhaze
