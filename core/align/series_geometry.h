// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "core/align/level_light.h"
#include "core/align/solve_series.h"
#include "core/picture/warp.h"
#include "core/series/series.h"

namespace moorhaze {

/// How one frame lies against the reference frame.
struct FrameGeometry {
    cv::Matx33d matrix = cv::Matx33d::eye();  ///< frame pixels to reference pixels
    cv::Vec3d gains{1, 1, 1};  ///< factors in linear light, by colour, that bring it to the reference's light
    bool registered = true;    ///< false: it stays out of a merge
    bool interpolated = false;  ///< registered, but its place is taken from its neighbours, not measured
    double residual_px =
        0;                 ///< how far the same detail lies apart in it and its neighbours, root mean square
    double corner_px = 0;  ///< the same at the worst corner
    std::string problem;   ///< why it was not measured; empty otherwise
    std::string warning;   ///< what is unusual about where it lies, in a sentence; empty otherwise

    double gain() const { return (gains[0] + gains[1] + gains[2]) / 3; }
    double scale() const;  ///< size against the reference frame
    double rotation_deg() const;
    cv::Point2d shift_px(cv::Size frame) const;  ///< of the picture's centre
    bool operator==(const FrameGeometry& other) const {
        return matrix == other.matrix && gains == other.gains && registered == other.registered;
    }
};

struct SeriesGeometry {
    int reference = 0;  ///< index from 0
    std::vector<FrameGeometry> frames;
    PlaneModel model = PlaneModel::similarity;
    std::string model_reason;         ///< in a sentence
    Vignetting vignetting;            ///< that all frames share
    std::vector<DustSpot> dust;       ///< that is mended in every frame, in frame pixels
    std::vector<DustSpot> dust_left;  ///< that was found, too, and is left as it is
    bool as_it_lies = false;          ///< the frames were aligned already: nothing is moved
    double residual_px() const;       ///< root mean square over registered frames
    double corner_px() const;         ///< at the worst corner of the worst frame
    bool operator==(const SeriesGeometry& other) const {
        return reference == other.reference && frames == other.frames && vignetting == other.vignetting &&
               dust == other.dust;
    }
};

/// Rail where every frame tells the same focus distance, otherwise refocused.
Travel travel_from_metadata(const Series& series);

/// What measuring a series gave; solved for any reference frame, model and set of points without measuring
/// again.
struct Registration {
    cv::Size size;  ///< of the frames, px
    Travel travel = Travel::refocused;
    std::vector<bool> used;             ///< frames that were measured
    std::vector<std::string> problems;  ///< of frames that could not be read; empty for the others
    std::vector<std::string> names;     ///< what messages call the frames; may be empty
    std::vector<MeasuredPair> pairs;
    std::vector<cv::Mat3f> light;  ///< a small picture of each frame in linear light; may be empty
    std::vector<DustSpot> dust;    ///< found on the sensor, in frame pixels
    int count() const { return int(used.size()); }
};

/// What becomes of frames that could not be aligned.
enum class Unplaced {
    leave_out,
    interpolate,  ///< they get the place between their neighbours, where there are some on both sides
};

struct PlaceSettings {
    int reference = 0;  ///< index from 0 of the frame that stays as it is
    PlaneModel model = PlaneModel::automatic;
    Unplaced unplaced = Unplaced::leave_out;
    Levelling levelling = Levelling::automatic;
    bool mend_dust = true;
    std::vector<MatchingPoints> points;  ///< set by hand
    bool operator==(const PlaceSettings&) const = default;
};

/// Lays the frames over the reference frame. On a rail each frame is placed for its own sharp plane, as the
/// reference camera would see it.
/// @throws BadParameter for a reference that is not there or was not measured, FileError for one that could
/// not be read.   Thread-safe.
SeriesGeometry place_frames(const Registration& registration, const PlaceSettings& settings);

/// Every frame as it lies, gains 1: for series that are aligned already.
SeriesGeometry unmoved(const Series& series, int reference);

/// How much larger the last frame shows things than the first, as a natural logarithm; nothing when less than
/// half the series could be warped onto each other.
std::optional<double> growth_along(const SeriesGeometry& geometry);

}  // namespace moorhaze
