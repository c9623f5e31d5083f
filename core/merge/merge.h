// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "core/merge/aligned_frames.h"
#include "core/merge/moved_parts.h"

namespace moorhaze {

struct MergeSettings {
    double detail_size_px = 4;  ///< neighbourhood judged; 1..40. Small for fine detail, larger against noise
    double seam_width_px = 2;   ///< softness of the seams between frames; 0..40
    double trust_floor =
        0.30;  ///< 0..1: places whose sharpness curve stands out less get the depth around them
    /// Number from 1 of the frame that fills what is never sharp; 0: the frames of the depth around. Woven
    /// and depth map.
    int backdrop_frame = 0;
    /// Never outside what the frames hold at that place and next to it, in fine and in coarse light.
    bool glare_guard = true;
    /// Woven: detail that does not stand out of the noise is averaged, not chosen. Pyramid: it is chosen, but
    /// held to the strength of one frame's.
    bool grain_guard = true;
    /// Takes the blur of near things off what lies behind them (see unveil.h), as far as there is memory for
    /// it; a quarter more time at 24 megapixels, up to twice as much for small pictures.
    bool unveil = true;
    bool operator==(const MergeSettings&) const = default;
};

/// What only all of a picture tells, so that a merge of a part of it decides as one of the whole does.
struct MergeStatistics {
    PixelRect area;             ///< that was looked at, in reference pixels
    std::vector<double> noise;  ///< of the band energies of each pyramid level, finest first; may be empty
    std::vector<double> depth_noise;  ///< of those that depth is measured by, in a neighbourhood of
    double detail_size_px = 0;        ///< this size
    MovedParts moved;  ///< of the area downsampled by 2 `downsamplings` times; empty when noise is
    int downsamplings = 0;
    /// As Highlights::frames() of the area, whose corner lies on the pyramid's grid of the whole; none: not
    /// looked for.
    std::optional<cv::Mat1s> highlights;

    /// Highlights in a part of the area; none as above.
    std::optional<cv::Mat1s> highlights_in(const PixelRect& target) const;
    /// The place in the planes of `moved` that holds (x, y) of a target downsampled by 2 `level` times.
    cv::Point in_moved(const PixelRect& target, cv::Point place, int level) const;
    /// The column behind the last one of that row, from `place` on, that the same place holds; at most
    /// `width`.
    int run_in_moved(const PixelRect& target, cv::Point place, int level, int width) const;
};

/// What made a place of a merge.
enum class MadeBy : uchar {
    nothing,    ///< no frame covers it
    depth_map,  ///< one depth, and the frames next to it
    pyramid,    ///< several depths that meet, chosen by detail size
    blend,      ///< all frames, weighed by sharpness
    backdrop,   ///< the depth around, or the frame chosen: nothing to be trusted is sharp there
    one_state,  ///< a part that moved: the frames that show it in one state
    highlight,  ///< clipped in some frames: the frame that a highlight is sharp in
    unveiled,   ///< what the frames of its depth show once a near thing's blur is taken off
};
inline constexpr int kMadeByCount = 8;
/// In words, for the place that is pointed at and the report.
const char* words_for(MadeBy made_by);

struct MergeResult {
    Picture picture;    ///< 16 bit, in the reference frame's profile; alpha only where places are not covered
    cv::Mat1w source;   ///< frame number from 1 that supplied the place (most of it); 0 where none did
    cv::Mat1b made_by;  ///< a MadeBy of each place
    cv::Mat1f depth;    ///< frame number from 1, not whole
    cv::Mat1f trust;    ///< 0..1, how sure the depth is; empty for methods without a depth map
    PixelRect area;     ///< of the reference plane
    std::string method;
    MergeSettings settings;
    std::vector<FrameProblem> problems;  ///< frames that could not be read on the way
    MergeStatistics statistics;          ///< what was found out, or taken from the context
};

/// What a merge works with beside its frames and settings.
struct MergeContext {
    /// Of the same frames, over an area that holds the target; null: found out on the way.
    const MergeStatistics* statistics = nullptr;
    FrameShelf* shelf = nullptr;  ///< where decoded frames lie; null: nowhere
    /// Called in the merging thread after each frame that has weight in where things are sharp. What it is
    /// given makes a small picture of the depth found so far when it is called: frame numbers from 1, 0 where
    /// nothing is known yet.
    std::function<void(const std::function<cv::Mat1f()>& depth_so_far)> on_frame;
};

/// A part of a picture that begins at multiples of this many pixels has its pyramid's places where the whole
/// has them, up to that pyramid level.
inline constexpr int kPyramidGrid = 64;

/// Which settings make a difference to a method.
struct MergeUses {
    bool detail_size = false, seam_width = false, trust_floor = false, backdrop = false, glare_guard = false,
         grain_guard = false, unveil = false;
};

/// One way to merge. All stream: no more than two frames are held, whatever their number.
struct MergeMethod {
    std::string name;         ///< for the command line
    std::string title;        ///< for the window
    std::string description;  ///< when to use it, one sentence
    MergeResult (*merge)(AlignedFrames& frames, const MergeSettings& settings, const MergeContext& context,
                         const Job& job);
    double bytes_per_px = 0;  ///< of the target, at most, everything but decoded frames
    bool by_depth = false;    ///< finds the depth of each place first, and gains from a statistics
    MergeUses uses;
};

/// All methods, the default first; command line and window read this.
const std::vector<MergeMethod>& merge_methods();

/// @throws BadParameter naming the methods there are.
const MergeMethod& merge_method(const std::string& name);

/// @throws BadParameter naming the setting and its range.
void check(const MergeSettings& settings);

}  // namespace moorhaze
