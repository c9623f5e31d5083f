// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/focus/focus_profile.h"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <opencv2/imgproc.hpp>

#include "core/focus/dissimilarity.h"
#include "core/focus/frame_faults.h"
#include "core/focus/frame_places.h"
#include "core/focus/order_statistics.h"
#include "core/picture/blur.h"
#include "core/picture/display.h"
#include "core/picture/luma.h"
#include "core/picture/profile_name.h"
#include "core/work/clones.h"
#include "core/work/for_rows.h"
#include "core/work/words.h"

namespace moorhaze {
namespace {

constexpr int kLongSideCells = 96;
constexpr double kViewLongSide = 240;
/// A cell counts as sharp somewhere when its best frame stands out this much above its usual frame.
/// Chosen on the rig's two scenes with noise: pure noise stays below 1.4.
constexpr float kStandsOut = 1.6f;
constexpr double kNothingSharpShare = 0.002;
/// A gap is reported from this many missing steps on. On the rig's faultless series neighbours look up to 0.3
/// steps too far apart, where one frame is missing 0.75 to 1.3; a gap must also stand apart from the pairs
/// beside it, since subjects are not equally deep everywhere.
constexpr double kLeastMissing = 0.55, kStandsApart = 0.4;

/// Distance at which second differences are taken, in px of the preview.
constexpr int kLag = 2;
/// Light at full scale says nothing of focus, and its edges shout.
constexpr float kClipped = 0.985f;

/// What is added up down the columns of one row of cells.
struct ColumnSums {
    std::vector<float> along[4];  ///< absolute second differences along 0, 45, 90, 135 degrees
    std::vector<float> luma, light, clipped;
    explicit ColumnSums(int width) : luma(std::size_t(width)), light(luma), clipped(luma) {
        for (auto& sums : along) sums.resize(std::size_t(width));
    }
};

/// Adds one row: second differences in four directions (the measure of modified_laplacian() is the sum of
/// those along 0 and 90 degrees), luma, light and what is clipped. `rows` are the row and those kLag above
/// and below, with kLag mirrored pixels at both ends. Light at full scale counts nothing.
MOORHAZE_CLONES void add_columns(const float* above, const float* row, const float* below, int width,
                                 float* const along[4], float* luma, float* light, float* clipped) {
    for (int x = 0; x < width; ++x) {
        const float twice = 2 * row[x], counts = row[x] > kClipped ? 0.0f : 1.0f;
        along[0][x] += counts * std::abs(twice - row[x - kLag] - row[x + kLag]);
        along[1][x] += counts * std::abs(twice - above[x - kLag] - below[x + kLag]);
        along[2][x] += counts * std::abs(twice - above[x] - below[x]);
        along[3][x] += counts * std::abs(twice - above[x + kLag] - below[x - kLag]);
        luma[x] += row[x];
        light[x] += row[x] * row[x];
        clipped[x] += 1 - counts;
    }
}

void add_row(const cv::Mat1f& luma, int y, ColumnSums& sums) {
    const int width = luma.cols;
    thread_local std::vector<float> padded[3];
    const float* rows[3];
    for (int k = 0; k < 3; ++k) {
        const float* from = luma[mirrored(y + (k - 1) * kLag, luma.rows)];
        padded[k].resize(std::size_t(width + 2 * kLag));
        std::copy(from, from + width, padded[k].begin() + kLag);
        for (int i = 1; i <= kLag; ++i) {
            padded[k][std::size_t(kLag - i)] = from[mirrored(-i, width)];
            padded[k][std::size_t(width + kLag - 1 + i)] = from[mirrored(width - 1 + i, width)];
        }
        rows[k] = padded[k].data() + kLag;
    }
    float* const along[4] = {sums.along[0].data(), sums.along[1].data(), sums.along[2].data(),
                             sums.along[3].data()};
    add_columns(rows[0], rows[1], rows[2], width, along, sums.luma.data(), sums.light.data(),
                sums.clipped.data());
}

/// A missing step shows as two neighbours that are as unlike as elsewhere only more distant frames are.
/// @param comparable  frames that may be compared.
std::vector<FocusGap> find_gaps(const std::vector<FocusProfile>& profiles,
                                const std::vector<cv::Point2d>& places, const std::vector<bool>& comparable) {
    constexpr int kFarthest = 5, kReach = 5;
    const int count = int(profiles.size());
    // unlike[k][i]: of frames i and i + k + 1.
    std::vector<std::vector<double>> unlike(kFarthest, std::vector<double>(std::size_t(count), -1));
    for (int i = 0; i < count; ++i)
        for (int k = 0; k < kFarthest && i + k + 1 < count; ++k) {
            const int j = i + k + 1;
            if (!comparable[std::size_t(i)] || !comparable[std::size_t(j)]) continue;
            unlike[std::size_t(k)][std::size_t(i)] = dissimilarity(profiles, places, i, j);
        }
    // Steps between each frame and the next; -1: not known.
    std::vector<double> steps(std::size_t(std::max(0, count - 1)), -1);
    for (int i = 0; i + 1 < count; ++i) {
        const double own = unlike[0][std::size_t(i)];
        if (own < 0) continue;
        double below = usual_around(unlike[0], i, kReach), at = 1;
        if (below <= 0) continue;
        for (int k = 1; k < kFarthest && own > below; ++k) {
            const double above = usual_around(unlike[std::size_t(k)], i, kReach);
            if (above <= below) break;
            if (own <= above) {
                at = k + (own - below) / (above - below);
                break;
            }
            below = above;
            at = k + 1;
        }
        steps[std::size_t(i)] = at;
    }
    std::vector<FocusGap> gaps;
    for (int i = 0; i + 1 < count; ++i) {
        const double here = steps[std::size_t(i)] - 1;
        double beside = 0;
        if (i > 0) beside = std::max(beside, steps[std::size_t(i) - 1] - 1);
        if (i + 2 < count) beside = std::max(beside, steps[std::size_t(i) + 1] - 1);
        if (here >= kLeastMissing && here - beside >= kStandsApart) gaps.push_back({i, i + 1, here});
    }
    return gaps;
}

}  // namespace

Outcome<FrameLook> look_at(const Frame& frame, int frame_index, FrameShelf* shelf, const Job& job) {
    std::shared_ptr<const Picture> decoded;
    try {
        decoded =
            small_frame(shelf, frame.path, std::min(3000, std::max(frame.info.width, frame.info.height)),
                        frame.development);
    } catch (const FileError& error) {
        return tl::unexpected(FrameProblem{frame_index, error.what()});
    }
    const Picture& picture = *decoded;
    const cv::Mat1f luma = perceptual_luma(picture, ToneCurve(picture.profile), job.quiet());
    const int long_side = std::max(luma.cols, luma.rows);

    FrameLook look;
    FocusProfile& profile = look.profile;
    const int cell = std::max(4, (long_side + kLongSideCells - 1) / kLongSideCells);
    const int columns = (luma.cols + cell - 1) / cell, rows = (luma.rows + cell - 1) / cell;
    profile.sharpness.create(rows, columns);
    profile.directed.create(rows, columns);
    profile.light.create(rows, columns);
    std::vector<double> light_of_row(std::size_t(rows), 0.0);
    std::vector<std::size_t> clipped_of_row(std::size_t(rows), 0);
    for_rows(rows, job.quiet(), [&](int row) {
        ColumnSums sums(luma.cols);
        for (int y = row * cell; y < std::min(luma.rows, (row + 1) * cell); ++y) add_row(luma, y, sums);
        for (int column = 0; column < columns; ++column) {
            const int begin = column * cell, end = std::min(luma.cols, begin + cell);
            const auto sum = [&](const std::vector<float>& values) {
                return std::accumulate(values.begin() + begin, values.begin() + end, 0.0f);
            };
            const float pixels = float((end - begin) * (std::min(luma.rows, (row + 1) * cell) - row * cell));
            const float light = sum(sums.light), scale = 1 / (pixels * (sum(sums.luma) / pixels + 0.03f));
            cv::Vec4f& directed = profile.directed(row, column);
            for (int way = 0; way < 4; ++way) directed[way] = sum(sums.along[way]) * scale;
            profile.light(row, column) = light / pixels;
            profile.sharpness(row, column) = directed[0] + directed[2];
            light_of_row[std::size_t(row)] += double(light);
            clipped_of_row[std::size_t(row)] += std::size_t(sum(sums.clipped));
        }
    });
    // In a close-up most of the picture is out of focus: its quiet fifth shows the noise.
    const float noise = quantile({profile.sharpness.begin(), profile.sharpness.end()}, 0.2);
    for (float& level : profile.sharpness) level = std::max(0.0f, level - noise);
    for (int way = 0; way < 4; ++way) {
        std::vector<float> levels;
        for (const cv::Vec4f& level : profile.directed) levels.push_back(level[way]);
        const float own_noise = quantile(levels, 0.2);
        for (cv::Vec4f& level : profile.directed) level[way] = std::max(0.0f, level[way] - own_noise);
    }
    profile.lag_px = double(kLag) * std::max(frame.info.width, frame.info.height) / long_side;
    profile.brightness =
        std::accumulate(light_of_row.begin(), light_of_row.end(), 0.0) / double(luma.total());
    profile.clipped = double(std::accumulate(clipped_of_row.begin(), clipped_of_row.end(), std::size_t(0))) /
                      double(luma.total());
    const double shrink = std::min(1.0, kViewLongSide / long_side);
    cv::resize(luma, profile.view, {}, shrink, shrink, cv::INTER_AREA);
    const cv::Scalar mean = cv::mean(picture.pixels);
    profile.red = std::log2((mean[0] + 1e-3) / (mean[1] + 1e-3));
    profile.blue = std::log2((mean[2] + 1e-3) / (mean[1] + 1e-3));
    profile.colours = profile_name(picture.profile);
    const double preview = std::min(1.0, double(kPreviewLongSide) / long_side);
    Picture small{{}, {}, picture.profile};
    cv::resize(picture.pixels, small.pixels, {}, preview, preview, cv::INTER_AREA);
    cv::cvtColor(to_display(small, job.quiet()), look.preview, cv::COLOR_BGRA2RGB);
    return look;
}

Outcome<FocusProfile> focus_profile(const Frame& frame, int frame_index, const Job& job) {
    auto look = look_at(frame, frame_index, nullptr, job);
    if (!look) return tl::unexpected(look.error());
    return std::move(look->profile);
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
    // In the dark noise looks like detail; a frame that lies elsewhere has its detail in others' cells.
    auto shows_nothing = [&](int i) {
        const auto& flags = result.flags[std::size_t(i)];
        return profiles[std::size_t(i)].sharpness.empty() || has_kind(flags, "misfire") ||
               has_kind(flags, "framing") || has_kind(flags, "bump");
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
                if (shows_nothing(i)) continue;
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
        if (shows_nothing(i)) return;  // that is said already
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
    std::vector<bool> comparable;
    for (int i = 0; i < count; ++i)
        comparable.push_back(!shows_nothing(i) && !has_kind(result.flags[std::size_t(i)], "band") &&
                             result.share[std::size_t(i)] > 2 * kNothingSharpShare);
    result.gaps = find_gaps(profiles, places, comparable);
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
