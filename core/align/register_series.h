#pragma once
#include <functional>

#include "core/align/register_pair.h"
#include "core/picture/warp.h"
#include "core/series/series.h"

namespace moorhaze {

/// How one frame lies against the reference frame.
struct FrameGeometry {
    cv::Matx33d matrix = cv::Matx33d::eye();  ///< frame pixels to reference pixels
    double gain = 1;         ///< factor in linear light that brings it to the reference's brightness
    bool registered = true;  ///< false: its place is not known, it stays out of a merge
    double residual_px =
        0;  ///< how far its measured neighbours disagree with the common solution, at the corners
    std::string problem;   ///< why it is not registered; empty otherwise
    double scale() const;  ///< size against the reference frame
    double rotation_deg() const;
    cv::Point2d shift_px(cv::Size frame) const;  ///< of the picture's centre
};

struct SeriesGeometry {
    int reference = 0;  ///< index from 0
    std::vector<FrameGeometry> frames;
    double residual_px() const;  ///< root mean square over registered frames
    bool operator==(const SeriesGeometry&) const = default;
};
inline bool operator==(const FrameGeometry& a, const FrameGeometry& b) {
    return a.matrix == b.matrix && a.gain == b.gain && a.registered == b.registered;
}

/// How the focus moved from frame to frame.
enum class Travel {
    refocused,  ///< the lens refocused, or unknown: scales of neighbours multiply along the series
    rail,       ///< the camera moved: a thing's size goes with 1 / distance, so scales add up as 1/(1 - sum)
};

/// Rail where every frame tells the same focus distance, otherwise refocused.
Travel travel_from_metadata(const Series& series);

/// Registers each frame with its next and next but one neighbour (shift, rotation, scale; see register_pair),
/// then solves all frames together by weighted least squares, so that errors don't add up along the series.
/// On a rail each frame is placed for its own sharp plane, as the reference camera would see it.
/// Frames stream: three are held at a time.
/// @param reference  index from 0 of the frame that stays as it is.
/// @throws BadParameter, Cancelled.   Thread-safe.
SeriesGeometry register_series(const Series& series, int reference, Travel travel, const Job& job);

/// Gives the detail of a frame, or nothing and why.
using DetailLoader = std::function<std::optional<DetailPyramid>(int frame, std::string& problem)>;

/// The same for frames that come from elsewhere than files, such as previews.
/// @param used  frames to register, all in a row; false ones are left out.
/// @param size  of the pictures whose detail `load` gives, in its own pixels.
SeriesGeometry register_frames(const std::vector<bool>& used, cv::Size size, int reference, Travel travel,
                               const DetailLoader& load, const Job& job);

/// How much larger the last frame shows things than the first, as a natural logarithm; nothing when less than
/// half the series could be laid over each other.
std::optional<double> growth_along(const SeriesGeometry& geometry);

/// The same, told from small pictures.
/// @param views  luma on a square-root scale; empty ones are passed over.   Thread-safe.
std::optional<double> growth_of(const std::vector<cv::Mat1f>& views, const Job& job);

/// Every frame as it lies, gains 1: for series that are aligned already.
SeriesGeometry unmoved(const Series& series, int reference);

/// The largest upright rectangle that all the given frames cover, in reference pixels; empty if they share
/// none.
PixelRect common_area(const SeriesGeometry& geometry, const std::vector<int>& frames, cv::Size frame_size);

}  // namespace moorhaze
