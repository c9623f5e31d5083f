#include "core/focus/focus_profile.h"

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <opencv2/imgproc.hpp>

#include "core/focus/frame_faults.h"
#include "core/focus/frame_places.h"
#include "core/focus/modified_laplacian.h"
#include "core/focus/order_statistics.h"
#include "core/picture/luma.h"

namespace moorhaze {
namespace {

constexpr int kLongSideCells = 96;
constexpr double kViewLongSide = 240;
/// A cell counts as sharp somewhere when its best frame stands out this much above its usual frame.
/// Chosen on the rig's two scenes with noise: pure noise stays below 1.4.
constexpr float kStandsOut = 1.6f;
constexpr double kNothingSharpShare = 0.002;
/// A gap is told from this many missing steps on, as far as overlaps tell them (a lower bound: they fall ever
/// more slowly with distance). Subjects are not equally deep everywhere: on the rig's faultless series
/// neighbours look up to 1.5 steps too far apart, but then several pairs in a row do, so a gap must also
/// stand apart from the pairs beside it.
constexpr double kLeastMissing = 1.4, kStandsApart = 0.6;

std::string words(const char* format, double value) {
    char text[160];
    std::snprintf(text, sizeof text, format, value);
    return text;
}

/// How much of what is sharp in either frame is sharp in both.
double overlap(const cv::Mat1f& one, const cv::Mat1f& other, const cv::Mat1b& sharp_in_either) {
    double both = 0, either = 0;
    for (int y = 0; y < one.rows; ++y)
        for (int x = 0; x < one.cols; ++x)
            if (sharp_in_either(y, x)) {
                both += std::min(one(y, x), other(y, x));
                either += std::max(one(y, x), other(y, x));
            }
    return either > 0 ? both / either : -1;
}

/// A missing step shows as an overlap between neighbours that elsewhere only more distant frames have.
std::vector<FocusGap> find_gaps(const std::vector<FocusProfile>& profiles,
                                const std::vector<cv::Point2d>& places, const cv::Mat1i& best,
                                const std::vector<double>& share) {
    constexpr int kFarthest = 6;
    const int count = int(profiles.size());
    auto overlap_of = [&](int i, int j) {
        const auto& one = profiles[std::size_t(i)].sharpness;
        const auto& other = profiles[std::size_t(j)].sharpness;
        if (one.empty() || other.empty() || share[std::size_t(i)] < 4 * kNothingSharpShare ||
            share[std::size_t(j)] < 4 * kNothingSharpShare)
            return -1.0;
        cv::Mat1b mask = (best == i) | (best == j);
        // Hand shake moves detail into other cells; it is not a step of focus.
        const double cells = double(one.cols) / std::max(1, profiles[std::size_t(i)].view.cols);
        const cv::Point2d shift = (places[std::size_t(j)] - places[std::size_t(i)]) * cells;
        cv::Mat1f laid;
        cv::warpAffine(other, laid, cv::Matx23d(1, 0, shift.x, 0, 1, shift.y), one.size(),
                       cv::INTER_LINEAR | cv::WARP_INVERSE_MAP, cv::BORDER_REPLICATE);
        return overlap(one, laid, mask);
    };
    std::vector<double> usual;
    for (int distance = 1; distance <= std::min(kFarthest, count - 1); ++distance) {
        std::vector<double> all;
        for (int i = 0; i + distance < count; ++i)
            if (const double value = overlap_of(i, i + distance); value >= 0) all.push_back(value);
        if (all.empty()) break;
        usual.push_back(median(std::move(all)));
    }
    std::vector<FocusGap> gaps;
    if (usual.size() < 2 || count < 5) return gaps;
    std::vector<double> missing(std::size_t(count) - 1,
                                -1);  // steps between each frame and the next; -1: not known
    for (int i = 0; i + 1 < count; ++i) {
        const double value = overlap_of(i, i + 1);
        if (value < 0) continue;
        double distance = double(usual.size());
        for (std::size_t k = 0; k + 1 < usual.size(); ++k)
            if (value <= usual[k] && value > usual[k + 1]) {
                distance = double(k) + 1 + (usual[k] - value) / std::max(1e-6, usual[k] - usual[k + 1]);
                break;
            }
        if (value > usual[0]) distance = 1;
        missing[std::size_t(i)] = distance - 1;
    }
    for (int i = 0; i + 1 < count; ++i) {
        const double here = missing[std::size_t(i)];
        double beside = 0;
        if (i > 0) beside = std::max(beside, missing[std::size_t(i) - 1]);
        if (i + 2 < count) beside = std::max(beside, missing[std::size_t(i) + 1]);
        if (here >= kLeastMissing && here - beside >= kStandsApart) gaps.push_back({i, i + 1, here});
    }
    return gaps;
}

}  // namespace

Outcome<FocusProfile> focus_profile(const Frame& frame, int frame_index, const Job& job) {
    Picture picture;
    try {
        picture = read_preview(frame.path, std::min(3000, std::max(frame.info.width, frame.info.height)));
    } catch (const FileError& error) {
        return tl::unexpected(FrameProblem{frame_index, error.what()});
    }
    const ToneCurve curve(picture.profile);
    const cv::Mat1f luma = perceptual_luma(picture, curve, job.quiet());
    const cv::Mat1f detail = modified_laplacian(luma, 2, job.quiet());

    FocusProfile profile;
    const int cell = std::max(4, (std::max(luma.cols, luma.rows) + kLongSideCells - 1) / kLongSideCells);
    const int columns = (luma.cols + cell - 1) / cell, rows = (luma.rows + cell - 1) / cell;
    profile.sharpness.create(rows, columns);
    profile.light.create(rows, columns);
    std::vector<float> levels;
    double light = 0;
    std::size_t clipped = 0;
    for (int row = 0; row < rows; ++row)
        for (int column = 0; column < columns; ++column) {
            const cv::Rect area =
                cv::Rect(column * cell, row * cell, cell, cell) & cv::Rect(0, 0, luma.cols, luma.rows);
            double sum = 0, brightness = 0;
            const double light_before = light;
            for (int y = area.y; y < area.y + area.height; ++y)
                for (int x = area.x; x < area.x + area.width; ++x) {
                    const float value = luma(y, x);
                    // Light at full scale says nothing of focus, and its edges shout.
                    if (value > 0.985f)
                        ++clipped;
                    else
                        sum += detail(y, x);
                    brightness += value;
                    light += double(value) * double(value);
                }
            const double mean = brightness / area.area();
            profile.light(row, column) = float((light - light_before) / area.area());
            const auto level = float(sum / area.area() / (mean + 0.03));
            profile.sharpness(row, column) = level;
            levels.push_back(level);
        }
    // In a close-up most of the picture is out of focus: its quiet fifth shows the noise.
    const float noise = quantile(levels, 0.2);
    for (float& level : profile.sharpness) level = std::max(0.0f, level - noise);
    profile.brightness = light / double(luma.total());
    const double long_side = std::max(luma.cols, luma.rows),
                 shrink = std::min(1.0, kViewLongSide / long_side);
    cv::resize(luma, profile.view, {}, shrink, shrink, cv::INTER_AREA);
    const cv::Scalar mean = cv::mean(picture.pixels);
    profile.red = std::log2((mean[0] + 1e-3) / (mean[1] + 1e-3));
    profile.blue = std::log2((mean[2] + 1e-3) / (mean[1] + 1e-3));
    profile.clipped = double(clipped) / double(luma.total());
    return profile;
}

SeriesProfile profile_series(const std::vector<FocusProfile>& profiles) {
    const int count = int(profiles.size());
    SeriesProfile result;
    result.share.assign(profiles.size(), 0.0);
    result.flags.resize(profiles.size());
    cv::Size grid;
    for (const auto& profile : profiles)
        if (!profile.sharpness.empty()) grid = profile.sharpness.size();
    if (grid.empty()) return result;

    const std::vector<cv::Point2d> places = frame_places(profiles);
    result.flags = find_faults(profiles, places);
    // In the dark noise looks like detail.
    auto tells_nothing = [&](int i) {
        return profiles[std::size_t(i)].sharpness.empty() ||
               has_kind(result.flags[std::size_t(i)], "misfire");
    };

    cv::Mat1i best(grid, -1);
    std::vector<float> curve;
    for (int y = 0; y < grid.height; ++y)
        for (int x = 0; x < grid.width; ++x) {
            curve.clear();
            int top = -1;
            float top_value = 0;
            for (int i = 0; i < count; ++i) {
                const auto& sharpness = profiles[std::size_t(i)].sharpness;
                if (tells_nothing(i)) continue;
                curve.push_back(sharpness(y, x));
                if (sharpness(y, x) > top_value) top_value = sharpness(y, x), top = i;
            }
            const float usual = quantile(curve, 0.5);
            if (top >= 0 && (count < 3 || top_value > kStandsOut * usual + 0.004f)) {
                best(y, x) = top;
                result.share[std::size_t(top)] += 1.0 / double(grid.area());
            }
        }

    // Most of the subject: what this frame and its neighbours have sharp.
    double most = -1;
    for (int i = 0; i < count; ++i) {
        double near = 0;
        for (int j = std::max(0, i - 2); j <= std::min(count - 1, i + 2); ++j)
            near += result.share[std::size_t(j)];
        near -= 1e-4 * std::abs(i - (count - 1) / 2.0);  // an even race goes to the middle
        if (near > most) most = near, result.suggested_reference = i;
    }

    auto nothing_sharp = [&](int i) { return result.share[std::size_t(i)] < kNothingSharpShare; };
    auto flag_unsharp = [&](int i, const char* where) {
        const double share = result.share[std::size_t(i)];
        result.flags[std::size_t(i)].push_back(
            {"unsharp",
             words((std::string(where) + ": %.1f %% of the picture is sharpest here").c_str(), 100 * share),
             share});
    };
    if (count > 2) {
        int first = 0, last = count - 1;
        while (first < count && nothing_sharp(first)) ++first;
        while (last > first && nothing_sharp(last)) --last;
        if (first < count) {
            for (int i = 0; i < first; ++i) flag_unsharp(i, "in front of the subject");
            for (int i = last + 1; i < count; ++i) flag_unsharp(i, "behind the subject");
        }
    }
    result.gaps = find_gaps(profiles, places, best, result.share);
    return result;
}

float sharpness_at(const FocusProfile& profile, double x, double y) {
    const cv::Mat1f& grid = profile.sharpness;
    if (grid.empty()) return 0;
    const double column = std::clamp(x * grid.cols - 0.5, 0.0, double(grid.cols - 1));
    const double row = std::clamp(y * grid.rows - 0.5, 0.0, double(grid.rows - 1));
    const int left = std::min(int(column), std::max(0, grid.cols - 2)),
              top = std::min(int(row), std::max(0, grid.rows - 2));
    const int right = std::min(left + 1, grid.cols - 1), bottom = std::min(top + 1, grid.rows - 1);
    const auto across = float(column - left), down = float(row - top);
    return std::lerp(std::lerp(grid(top, left), grid(top, right), across),
                     std::lerp(grid(bottom, left), grid(bottom, right), across), down);
}

}  // namespace moorhaze
