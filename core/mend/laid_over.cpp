// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mend/laid_over.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/align/common_area.h"
#include "core/align/homography.h"
#include "core/align/register_pair.h"
#include "core/merge/frame_source.h"
#include "core/picture/converted.h"
#include "core/picture/luma.h"

namespace moorhaze {
namespace {

constexpr int kLongSide = 3200;      // px that registration works on at most
constexpr double kFits_px = 0.3;     // less is not worth resampling
constexpr double kSameShape = 0.01;  // by which the sides' ratios of one picture at two sizes may differ
constexpr double kAlike = 0.35;      // correlation of spots below which two pictures show different things

/// How the outside picture's pixels lie on a canvas of the merge's size, before it was looked at.
struct Start {
    double scale = 1;
    cv::Point2d shift;
    cv::Matx33d matrix() const { return {scale, 0, shift.x, 0, scale, shift.y, 0, 0, 1}; }
    bool is_whole() const {
        return scale == 1 && shift.x == std::round(shift.x) && shift.y == std::round(shift.y);
    }
};

Start start_of(cv::Size outside, PixelRect area, cv::Size frame) {
    if (outside == area.size()) return {};
    if (outside == frame) return {1, -cv::Point2d(area.tl())};
    const double wide = double(area.width) / outside.width, high = double(area.height) / outside.height;
    Start start;
    if (std::abs(wide / high - 1) < kSameShape) start.scale = std::sqrt(wide * high);
    // Middle on middle, pixel centres at whole numbers.
    const auto middle = [](int side) { return (side - 1) / 2.0; };
    start.shift = {middle(area.width) - start.scale * middle(outside.width),
                   middle(area.height) - start.scale * middle(outside.height)};
    if (start.scale == 1) start.shift = {std::round(start.shift.x), std::round(start.shift.y)};
    return start;
}

/// Luma laid out on a canvas of `size`, shrunk by a whole factor.
cv::Mat1f on_canvas(const cv::Mat1f& luma, const cv::Matx33d& matrix, cv::Size size, int shrink) {
    const cv::Size small((size.width + shrink - 1) / shrink, (size.height + shrink - 1) / shrink);
    // Sampled after a blur to the canvas's own coarseness.
    const double coarser = shrink / matrix(0, 0);
    cv::Mat1f smooth = luma;
    if (coarser > 1) cv::GaussianBlur(luma, smooth, {}, 0.45 * coarser);
    const double middle = (shrink - 1) / 2.0;
    const cv::Matx33d to_canvas(1, 0, middle, 0, 1, middle, 0, 0, 1);
    const cv::Matx33d map = matrix.inv() * to_canvas * cv::Matx33d(shrink, 0, 0, 0, shrink, 0, 0, 0, 1);
    cv::Mat1f canvas;
    cv::warpAffine(smooth, canvas, map.get_minor<2, 3>(0, 0), small, cv::INTER_CUBIC | cv::WARP_INVERSE_MAP,
                   cv::BORDER_REPLICATE);
    return canvas;
}

Picture in_colours_of(const Picture& outside, const ColourProfile& profile, const Job& job) {
    Picture own{outside.pixels, {}, outside.profile};
    if (own.bits() == 8) outside.pixels.convertTo(own.pixels, CV_16U, 257);
    return converted(own, profile, job);
}

}  // namespace

LaidOver laid_over(const Picture& outside, const MergeResult& merge, cv::Size reference_frame,
                   const Job& job) {
    const Picture own = in_colours_of(outside, merge.picture.profile, job.part(0, 0.2));
    const ToneCurve curve(merge.picture.profile);
    const cv::Size size = merge.area.size(), given = own.pixels.size();
    const Start start = start_of(given, merge.area, reference_frame);
    int shrink = 1;
    while (std::max(size.width, size.height) / shrink > kLongSide) shrink *= 2;
    const auto view = [&](const Picture& picture, const cv::Matx33d& matrix) {
        const cv::Mat1f luma = perceptual_luma({picture.pixels, {}, picture.profile}, curve, job.quiet());
        return registration_view(on_canvas(luma, matrix, size, shrink), size, job.quiet());
    };
    const RegistrationView moving = view(own, start.matrix()),
                           fixed = view(merge.picture, cv::Matx33d::eye());
    job.checkpoint(0.5);
    const auto found = register_pair(moving, fixed, std::nullopt, job.part(0.5, 0.7));
    if (!found || found->likeness < kAlike)
        throw BadParameter(
            "does not show what the merge shows, so it cannot be laid over it. Choose a picture of the same "
            "frames.");

    LaidOver laid;
    laid.moved_px = greatest_distance(found->fixed_to_moving, cv::Matx33d::eye(), size);
    const bool fits = start.is_whole() && laid.moved_px < kFits_px;
    const cv::Matx33d corner(1, 0, double(merge.area.x), 0, 1, double(merge.area.y), 0, 0, 1);
    SeriesGeometry geometry;
    geometry.frames.resize(1);
    geometry.frames[0].matrix =
        corner * (fits ? cv::Matx33d::eye() : found->fixed_to_moving.inv()) * start.matrix();
    geometry.frames[0].registered = true;
    const PixelRect area = common_area(geometry, {0}, given) & merge.area;
    if (area.empty()) throw BadParameter("shows nothing of what the merge shows");

    MergeResult& result = laid.result;
    result.method = merge.method;
    result.settings = merge.settings;
    result.area = area;
    const PixelRect part = area - merge.area.tl();
    const auto cut = [&](const auto& plane) {
        return plane.empty() ? plane : std::decay_t<decltype(plane)>(plane(part).clone());
    };
    result.source = cut(merge.source);
    result.made_by = cut(merge.made_by);
    result.depth = cut(merge.depth);
    result.trust = cut(merge.trust);
    if (fits) {
        laid.moved_px = 0;
        const cv::Point shift(int(start.shift.x), int(start.shift.y));
        result.picture = {own.pixels(part - shift).clone(), {}, own.profile};
        return laid;
    }
    const WarpPlan plan{.frame_to_reference = geometry.frames[0].matrix, .target = area};
    result.picture = picture_of(warp_to_linear(own, curve, plan, job.part(0.7, 1)), curve, own.profile);
    result.picture.alpha.release();
    return laid;
}

}  // namespace moorhaze
