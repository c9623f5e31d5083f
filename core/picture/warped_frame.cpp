// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/picture/warped_frame.h"

#include <algorithm>
#include <cmath>

#include "core/picture/blur.h"
#include "core/picture/downsampled.h"
#include "core/picture/warp_block.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

constexpr int kBand = 48;  // rows that a thread takes at once
/// px of half size that turn the mean over 2×2 into a gathering of 1 px of full size: the squares of the two
/// (a box of two has 1/4) add up to 1, at half size to 1/4.
constexpr double kGatherMore = 0.433;

/// Places of a grid whose pixel 0 lies at `origin` and whose step is `step`.
cv::Matx33d grid_of(cv::Point2d origin, double step) {
    return {step, 0, origin.x, 0, step, origin.y, 0, 0, 1};
}

/// Which of `width` columns from `left` on lie in a source; those before repeat its first, those behind its
/// last.
RowSpan within(int left, int width, int source_width) {
    const int begin = std::clamp(-left, 0, width);
    return {begin, std::clamp(source_width - left, begin, width)};
}

template <class Value>
void fill_pixels(const Value* source, int source_width, int left, int width, const float* const* roots,
                 float* out) {
    const float *const red = roots[0], *const green = roots[1], *const blue = roots[2];
    const auto fill = [&](int i, const Value* pixel) {
        out[4 * i] = red[pixel[0]];
        out[4 * i + 1] = green[pixel[1]];
        out[4 * i + 2] = blue[pixel[2]];
        out[4 * i + 3] = 0.0f;
    };
    const auto [begin, end] = within(left, width, source_width);
    for (int i = 0; i < begin; ++i) fill(i, source);
    for (int i = begin; i < end; ++i) fill(i, source + 3 * (left + i));
    for (int i = end; i < width; ++i) fill(i, source + 3 * (source_width - 1));
}

/// @param power  of light that the source's values go with.
void warp_bands(const WarpSource& source, const WarpGrid& grid, const std::vector<DustSpot>& dust,
                double power, cv::Mat& out, const Job& job) {
    for_rows((out.rows + kBand - 1) / kBand, job, [&](int band) {
        const cv::Rect block(0, band * kBand, out.cols, std::min(kBand, out.rows - band * kBand));
        cv::Mat own = out(block);
        warp_block(source, grid, block, own);
        mend_dust(dust, grid.to_frame, block, power, own);
    });
}

WarpSource source_of(const cv::Mat1f& plane) {
    return {plane.size(), 1, [plane](int y, int left, int width, float* out) {
                const float* const row = plane[y];
                const auto [begin, end] = within(left, width, plane.cols);
                std::fill(out, out + begin, row[0]);
                std::copy(row + left + begin, row + left + end, out + begin);
                std::fill(out + end, out + width, row[plane.cols - 1]);
            }};
}

}  // namespace

bool covers_all(const std::vector<RowSpan>& covered, int width) {
    return std::all_of(covered.begin(), covered.end(), [&](const RowSpan& span) {
        return span == RowSpan{0, width};
    });
}

WarpedFrame::WarpedFrame(const Picture& frame, const ToneCurve& curve, const WarpPlan& plan)
    : frame_(frame),
      curve_(curve),
      plan_(plan),
      to_frame_(to_frame_of(plan)),
      whole_(plan.part.frame.empty() ? frame.pixels.size() : plan.part.frame),
      covered_(covered_spans(whole_, plan)),
      covers_all_(moorhaze::covers_all(covered_, plan.target.width)) {
    for (int channel = 0; channel < 3; ++channel) {
        const float* linear = frame.bits() == 8 ? curve.linear_of_8(channel) : curve.linear_of_16(channel);
        roots_[channel].resize(frame.bits() == 8 ? 256 : 65536);
        for (std::size_t i = 0; i < roots_[channel].size(); ++i)
            roots_[channel][i] = std::sqrt(std::max(linear[i], 0.0f));
    }
}

void WarpedFrame::fill(cv::Rect block, cv::Mat& out) const {
    const float* const roots[] = {roots_[0].data(), roots_[1].data(), roots_[2].data()};
    const cv::Mat& pixels = frame_.pixels;
    const bool deep = frame_.bits() == 16;
    const WarpSource source{
        pixels.size(), 3, [&](int y, int left, int width, float* row) {
            if (deep)
                fill_pixels(pixels.ptr<std::uint16_t>(y), pixels.cols, left, width, roots, row);
            else
                fill_pixels(pixels.ptr<std::uint8_t>(y), pixels.cols, left, width, roots, row);
        }};
    const cv::Matx33d reference = grid_of(cv::Point(plan_.target.x, plan_.target.y), 1);
    const cv::Matx33d frame = to_frame_ * reference;
    const WarpGrid grid{grid_of(-cv::Point2d(plan_.part.corner), 1) * frame,
                        plan_.gains,
                        plan_.vignetting,
                        frame,
                        reference,
                        whole_};
    warp_block(source, grid, block, out);
    mend_dust(plan_.dust, frame, block, 1, out);
}

cv::Mat3f WarpedFrame::light(cv::Rect block) const {
    cv::Mat out(block.size(), CV_32FC3);
    fill(block, out);
    return out;
}

LinearFrame WarpedFrame::all(const Job& job) const {
    LinearFrame all{cv::Mat3f(target()), covered_};
    for_rows((target().height + kBand - 1) / kBand, job, [&](int band) {
        const cv::Rect block(0, band * kBand, target().width,
                             std::min(kBand, target().height - band * kBand));
        cv::Mat own = all.pixels(block);
        fill(block, own);
    });
    return all;
}

cv::Mat3f WarpedFrame::downsampled_light(const Job& job) const {
    const cv::Mat3f quarter = light_downsampled_by_4(frame_, curve_, job);
    const WarpSource source{quarter.size(), 3, [&](int y, int left, int width, float* to) {
                                const cv::Vec3f* const row = quarter[y];
                                for (int i = 0; i < width; ++i) {
                                    const cv::Vec3f& light = row[std::clamp(left + i, 0, quarter.cols - 1)];
                                    for (int c = 0; c < 3; ++c)
                                        to[4 * i + c] = std::sqrt(std::max(light[c], 0.0f));
                                    to[4 * i + 3] = 0;
                                }
                            }};
    const cv::Matx33d reference = grid_of(cv::Point(plan_.target.x, plan_.target.y), 4);
    const cv::Matx33d frame = to_frame_ * reference;
    const cv::Point2d first = cv::Point2d(plan_.part.corner) + cv::Point2d(1.5, 1.5);
    const WarpGrid grid{
        grid_of(-first / 4, 0.25) * frame, plan_.gains, plan_.vignetting, frame, reference, whole_};
    const cv::Size half((target().width + 1) / 2, (target().height + 1) / 2);
    cv::Mat out((half.height + 1) / 2, (half.width + 1) / 2, CV_32FC3);
    warp_bands(source, grid, plan_.dust, 1, out, job);
    return out;
}

void WarpedFrame::light(cv::Rect block, cv::Mat3f& out) const {
    fill(block, out);
}

std::vector<ClippedRun> WarpedFrame::clipped(double level, const Job& job) const {
    const cv::Point2d corner(plan_.part.corner), target(plan_.target.x, plan_.target.y);
    const cv::Size half((plan_.target.width + 1) / 2, (plan_.target.height + 1) / 2);
    const auto laid = [&](double x, double y) {  // a frame's pixel, at half the target's size
        const cv::Vec3d at = plan_.frame_to_reference * cv::Vec3d(x + corner.x, y + corner.y, 1);
        return (cv::Point2d(at[0] / at[2], at[1] / at[2]) - target) / 2;
    };
    std::vector<ClippedRun> runs;
    for (const ClippedRun& own : clipped_runs(frame_, level, job)) {
        const cv::Point2d first = laid(2 * own.begin + 0.5, 2 * own.y + 0.5),
                          last = laid(2 * own.end - 1.5, 2 * own.y + 0.5);
        const int y = int(std::lround((first.y + last.y) / 2 - 0.25)),
                  begin = std::max(0, int(std::lround(first.x - 0.25))),
                  end = std::min(half.width, int(std::lround(last.x - 0.25)) + 1);
        if (y >= 0 && y < half.height && begin < end) runs.push_back({y, begin, end});
    }
    return runs;
}

DownsampledFrame WarpedFrame::downsampled_luma(const Job& job) const {
    DownsampledLuma halved = luma_downsampled_by_2(frame_, curve_, plan_.gains, job);
    const cv::Matx33d reference = grid_of(cv::Point(plan_.target.x, plan_.target.y), 2);
    const cv::Matx33d frame = to_frame_ * reference;
    const cv::Point2d first = cv::Point2d(plan_.part.corner) + cv::Point2d(0.5, 0.5);
    WarpGrid grid{grid_of(-first / 2, 0.5) * frame, {1, 1, 1}, plan_.vignetting, frame, reference, whole_};
    const cv::Size half((target().width + 1) / 2, (target().height + 1) / 2);
    cv::Mat luma(half, CV_32FC1), energy(half, CV_32FC1);
    warp_bands(source_of(halved.luma), grid, plan_.dust, 0.5, luma, job);
    halved.luma.release();
    // Energy goes with the square of luma.
    grid.vignetting = {2 * plan_.vignetting.square, 2 * plan_.vignetting.fourth};
    warp_bands(source_of(gaussian_blur(halved.fine_energy, kGatherMore, job)), grid, plan_.dust, 1, energy,
               job);
    return {luma, energy, target().width, covered_};
}

}  // namespace moorhaze
