// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mend/thing.h"

#include <algorithm>
#include <cmath>
#include <mutex>
#include <opencv2/imgproc.hpp>

#include "core/picture/luma.h"

namespace moorhaze {
namespace {

constexpr int kMostSide_px = 320;
constexpr double kFlat = 4e-4;  // of root light squared: what varies less has no edge of its own
constexpr int kRounds = 2;
constexpr int kSurely_px = 3;       // at the rim of what is looked at, no thing
constexpr double kSimple_px = 0.7;  // an outline strays from its pixels by at most so much

/// Lightness, colour and depth as three channels that count alike.
cv::Mat3b looked_at(const cv::Mat3f& light, const cv::Mat1f& depth) {
    cv::Mat3f root, lab;
    cv::Mat3f held = cv::min(cv::max(light, 0.0f), 1.0f);
    cv::pow(held, 1 / 2.2, root);
    cv::cvtColor(root, lab, cv::COLOR_RGB2Lab);
    double nearest = 0, farthest = 0;
    if (!depth.empty()) cv::minMaxLoc(depth, &nearest, &farthest);
    const double scale = farthest > nearest ? 255 / (farthest - nearest) : 0;
    cv::Mat3b seen(light.size());
    for (int y = 0; y < seen.rows; ++y)
        for (int x = 0; x < seen.cols; ++x) {
            const cv::Vec3f& own = lab(y, x);
            seen(y, x) = {
                cv::saturate_cast<uchar>(own[0] * 2.55f), cv::saturate_cast<uchar>(128 + own[1] + own[2]),
                depth.empty() ? uchar(0) : cv::saturate_cast<uchar>((double(depth(y, x)) - nearest) * scale)};
        }
    return seen;
}

/// Only the pieces that the scribble touches.
cv::Mat1b touched(const cv::Mat1b& places, const cv::Mat1b& scribble) {
    cv::Mat1i pieces;
    const int count = cv::connectedComponents(places, pieces, 4);
    std::vector<bool> is_touched(std::size_t(count), false);
    for (int y = 0; y < places.rows; ++y)
        for (int x = 0; x < places.cols; ++x)
            if (scribble(y, x) && places(y, x)) is_touched[std::size_t(pieces(y, x))] = true;
    cv::Mat1b kept(places.size(), uchar(0));
    for (int y = 0; y < places.rows; ++y)
        for (int x = 0; x < places.cols; ++x)
            if (places(y, x) && is_touched[std::size_t(pieces(y, x))]) kept(y, x) = 255;
    return kept;
}

/// The rims of what is looked at beyond which the picture goes on; no thing is looked for there.
std::vector<cv::Rect> cut_sides(PixelRect area, PixelRect picture, cv::Size size) {
    std::vector<cv::Rect> sides;
    if (area.x > picture.x) sides.emplace_back(0, 0, kSurely_px, size.height);
    if (area.y > picture.y) sides.emplace_back(0, 0, size.width, kSurely_px);
    if (area.br().x < picture.br().x) sides.emplace_back(size.width - kSurely_px, 0, kSurely_px, size.height);
    if (area.br().y < picture.br().y) sides.emplace_back(0, size.height - kSurely_px, size.width, kSurely_px);
    return sides;
}

/// What was found small, its edge laid onto the picture's own by a guided filter. Source: He, Sun & Tang,
/// "Guided Image Filtering", ECCV 2010.
cv::Mat1b at_full_size(const cv::Mat1b& small, const cv::Mat3f& light, double times, const Job& job) {
    const cv::Mat1f guide = perceptual_luma(light, job);
    cv::Mat1f places;
    small.convertTo(places, CV_32F, 1 / 255.0);
    cv::resize(places, places, light.size(), 0, 0, cv::INTER_LINEAR);
    const int side = 2 * int(std::ceil(1.5 * times)) + 1;
    const auto mean = [side](const cv::Mat& of) {
        cv::Mat1f averaged;
        cv::boxFilter(of, averaged, CV_32F, {side, side}, {-1, -1}, true, cv::BORDER_REFLECT);
        return averaged;
    };
    const cv::Mat1f mean_guide = mean(guide), mean_places = mean(places);
    const cv::Mat1f variance = mean(guide.mul(guide)) - mean_guide.mul(mean_guide);
    const cv::Mat1f together = mean(guide.mul(places)) - mean_guide.mul(mean_places);
    cv::Mat1f slope;
    cv::divide(together, variance + kFlat, slope);
    const cv::Mat1f offset = mean_places - slope.mul(mean_guide);
    return mean(slope).mul(guide) + mean(offset) > 0.5;
}

}  // namespace

int thing_reach(cv::Size scribble) {
    return 24 + std::max(scribble.width, scribble.height);
}

Thing thing_at(const cv::Mat3f& light, const cv::Mat1f& depth, const cv::Mat1b& scribble, cv::Point top_left,
               PixelRect picture, const Job& job) {
    const double scale = std::min(1.0, double(kMostSide_px) / std::max(light.cols, light.rows));
    const cv::Size size(std::max(8, int(light.cols * scale)), std::max(8, int(light.rows * scale)));
    cv::Mat small_light, small_depth, small_scribble;
    cv::resize(light, small_light, size, 0, 0, cv::INTER_AREA);
    if (!depth.empty()) cv::resize(depth, small_depth, size, 0, 0, cv::INTER_AREA);
    cv::resize(scribble, small_scribble, size, 0, 0, cv::INTER_AREA);
    const cv::Mat1b sure = small_scribble > 127;
    if (cv::countNonZero(sure) == 0) throw BadParameter("the scribble is too small to tell what it lies on");
    job.checkpoint();

    cv::Mat mask(size, CV_8U, cv::Scalar(cv::GC_PR_BGD));
    std::vector<cv::Point> places, hull;
    cv::findNonZero(sure, places);
    cv::convexHull(places, hull);
    cv::fillConvexPoly(mask, hull, cv::Scalar(cv::GC_PR_FGD));
    const PixelRect area(top_left, light.size());
    const std::vector<cv::Rect> cuts = cut_sides(area, picture, size);
    for (const cv::Rect& side : cuts) mask(side).setTo(cv::GC_BGD);
    mask.setTo(cv::GC_FGD, sure);
    cv::Mat behind, before;
    {
        // The library's mixtures start from its one random state.
        static std::mutex one_at_a_time;
        const std::scoped_lock lock(one_at_a_time);
        cv::setRNGSeed(1);
        cv::grabCut(looked_at(small_light, small_depth), mask, {}, behind, before, kRounds,
                    cv::GC_INIT_WITH_MASK);
    }
    job.checkpoint();
    const cv::Mat1b thing = touched((mask & 1) != 0, sure);
    std::vector<std::vector<cv::Point>> outlines;
    const cv::Mat1b large = scale < 1 ? at_full_size(thing, light, 1 / scale, job.quiet()) : thing;
    cv::findContours(large, outlines, cv::RETR_CCOMP, cv::CHAIN_APPROX_NONE);
    Thing found;
    for (cv::Rect side : cuts) {
        side = cv::Rect(side.x - 1, side.y - 1, side.width + 2, side.height + 2) & cv::Rect({}, size);
        found.is_cut_off = found.is_cut_off || cv::countNonZero(thing(side)) > 0;
    }
    for (const std::vector<cv::Point>& outline : outlines) {
        std::vector<cv::Point> simple;
        cv::approxPolyDP(outline, simple, kSimple_px, true);
        if (simple.size() < 3) continue;
        found.outlines.emplace_back();
        for (const cv::Point& at : simple)
            found.outlines.back().push_back({double(top_left.x + at.x), double(top_left.y + at.y)});
    }
    if (found.outlines.empty())
        throw BadParameter(
            "nothing stands out there: scribble over more of the thing, or draw it in by brush");
    return found;
}

}  // namespace moorhaze
