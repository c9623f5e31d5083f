#pragma once
#include <compare>
#include <functional>
#include <variant>

#include "core/align/series_geometry.h"
#include "core/work/shared_list.h"

namespace moorhaze {

/// Names a result for as long as its project is known.
struct ResultId {
    int value = 0;
    auto operator<=>(const ResultId&) const = default;
};

/// A place the brush went over, in reference pixels.
struct StrokePoint {
    double x_px = 0, y_px = 0;
    double pressure = 1;  ///< 0..1 of a pen: the brush is so much of its size there; a mouse has 1
    bool operator==(const StrokePoint&) const = default;
};

/// Paints the merge back as it was.
struct WipeBack {
    bool operator==(const WipeBack&) const = default;
};

/// What a stroke brings: the merge itself, a frame of the series, or another result as it was merged.
using StrokeSource = std::variant<WipeBack, FrameId, ResultId>;

/// One movement of the brush: a place is drawn in from a frame, or wiped back to the merge.
struct Stroke {
    StrokeSource source;
    double radius_px = 17;  ///< ≥ 0.5
    double softness = 0.6;  ///< 0 hard edge … 1 soft from the middle on
    double flow = 0.4;      ///< 0..1: how much of the source one pass brings
    std::vector<StrokePoint> points;
    bool is_off = false;  ///< kept, but as if it had not been painted
    bool operator==(const Stroke&) const = default;
};

/// The part of the reference plane that a stroke can change.
PixelRect reach_of(const Stroke& stroke);

/// How much of the source a stroke brings to each pixel of `area`, 0..1: along the path the brush never takes
/// away and going over a place again within one stroke adds nothing; a new stroke does.
cv::Mat1f stroke_mask(const Stroke& stroke, PixelRect area, const Job& job);

/// How much of a place comes from strokes, 0..1: 0 is the merge as it was, or wiped back to it.
double painted_share(const SharedList<Stroke>& strokes, StrokePoint place);

/// What a source shows over an area of the reference plane.
struct SourcePart {
    cv::Mat3f light;               ///< linear
    std::vector<RowSpan> covered;  ///< columns of each row that it has pixels for; empty: all of them
};
/// Gives a source's pixels over `area`; never asked for the merge itself.
using SourcePixels = std::function<SourcePart(const StrokeSource& source, PixelRect area)>;

/// The merge with all strokes rendered over it, in order, in linear light; only `area` is computed. What a
/// source does not cover stays as it is.
/// @param merge  16-bit picture whose top left lies at `merge_area`'s in reference pixels.
/// @return       pixels of `area` (cut to the merge), CV_16UC3.
/// @throws BadParameter, Cancelled, and what `source` throws.   Thread-safe when `source` is.
cv::Mat render_strokes(const Picture& merge, PixelRect merge_area, const SharedList<Stroke>& strokes,
                       PixelRect area, const ToneCurve& curve, const SourcePixels& source, const Job& job);

}  // namespace moorhaze
