// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/merge_within.h"

#include <algorithm>
#include <cmath>

#include "core/merge/merge_statistics.h"
#include "core/merge/unveil.h"
#include "core/work/for_rows.h"
#include "core/work/reused_memory.h"

namespace moorhaze {
namespace {

constexpr int kMargin = kPyramidGrid;  // rows; detail of up to half as much sees all that it goes by
constexpr int kLeastRows = 128;
// Measured on frames of 24 megapixels.
constexpr double kProcessBytes = 150e6;  // program, libraries, tables, what is known of the series
// A pixel: picture, alpha, source, what made it, depth, trust.
constexpr double kResultBytes = 6 + 2 + 2 + 1 + 4 + 4;
constexpr double kSurveyBytes = 17;  // a pixel
constexpr double kKept = 17.0 / 16;  // ReusedMemory holds so much more than is in use
constexpr double kMegabyte = 1024 * 1024;

double decoded_bytes(const Series& series) {
    const PictureInfo& info = series.frames[0].info;
    return 2.0 * double(series.size().area()) * 3 * (info.bits > 8 ? 2 : 1);
}

/// The share of the lower strip in row y of the area, where it meets the one above at `border`.
double share_below(int y, int border, int margin) {
    return std::clamp((y + 0.5 - (border - margin / 2)) / margin, 0.0, 1.0);
}

/// Puts a strip's plane into the whole, passing into what is there.
template <class Value>
void blend_rows(const cv::Mat& strip, int from, int border, int margin, cv::Mat& whole, const Job& job) {
    for_rows(strip.rows, job, [&](int row) {
        const int y = from + row, count = strip.cols * strip.channels();
        const auto* own = strip.ptr<Value>(row);
        auto* out = whole.ptr<Value>(y);
        const double share = border > 0 ? share_below(y, border, margin) : 1;
        if (share >= 1)
            std::copy(own, own + count, out);
        else if (share > 0)
            for (int i = 0; i < count; ++i)
                out[i] = cv::saturate_cast<Value>(out[i] + share * (double(own[i]) - double(out[i])));
    });
}

class Strips {
  public:
    Strips(PixelRect area, int margin) : area_(area), margin_(margin) {}

    /// @param begin  the strip's first own row of the area.
    void add(const MergeResult& strip, int begin, const Job& job) {
        const int from = strip.area.y - area_.y;
        if (whole_.picture.pixels.empty()) {
            whole_ = strip;
            whole_.area = area_;
            grow(strip.picture.pixels, whole_.picture.pixels);
            grow(strip.source, whole_.source);
            grow(strip.made_by, whole_.made_by);
            grow(strip.depth, whole_.depth);
            grow(strip.trust, whole_.trust);
            alpha_ = cv::Mat1w(area_.size(), ushort(65535));
        } else {
            // Mostly the same as the first strip reported; a file may also fail later.
            for (const FrameProblem& problem : strip.problems)
                if (std::none_of(
                        whole_.problems.begin(), whole_.problems.end(),
                        [&](const FrameProblem& known) { return known.frame_index == problem.frame_index; }))
                    whole_.problems.push_back(problem);
        }
        blend_rows<ushort>(strip.picture.pixels, from, begin, margin_, whole_.picture.pixels, job);
        blend_rows<float>(strip.depth, from, begin, margin_, whole_.depth, job);
        if (!whole_.trust.empty()) blend_rows<float>(strip.trust, from, begin, margin_, whole_.trust, job);
        // Numbers of frames can't be mixed, nor does coverage differ.
        const int skipped = begin - from;
        const cv::Rect own(0, begin, area_.width, strip.area.height - skipped),
            of_strip(0, skipped, own.width, own.height);
        strip.source(of_strip).copyTo(whole_.source(own));
        strip.made_by(of_strip).copyTo(whole_.made_by(own));
        if (!strip.picture.alpha.empty()) {
            strip.picture.alpha(of_strip).copyTo(alpha_(own));
            transparent_ = true;
        }
    }

    MergeResult finish() {
        if (transparent_) whole_.picture.alpha = alpha_;
        return std::move(whole_);
    }

  private:
    template <class Plane>
    void grow(const Plane& strip, Plane& whole) const {
        whole = strip.empty() ? Plane() : Plane(cv::Mat(area_.size(), strip.type()));
    }

    PixelRect area_;
    int margin_;
    MergeResult whole_;
    cv::Mat1w alpha_;
    bool transparent_ = false;
};

/// What strips find of depth on the way, in one small picture of the whole.
class GrownDepth {
  public:
    explicit GrownDepth(PixelRect area) : area_(area) {}

    /// @param places  of a strip;  @param from  its first row of the area.   @return  a copy of the whole.
    cv::Mat1f with(const cv::Mat1f& places, int from) {
        const double shrink = double(places.cols) / area_.width;
        if (whole_.empty()) whole_ = cv::Mat1f::zeros(int(std::ceil(area_.height * shrink)), places.cols);
        const int top = std::min(int(from * shrink), whole_.rows - 1),
                  rows = std::min(places.rows, whole_.rows - top);
        const cv::Mat1f known = places.rowRange(0, rows);
        known.copyTo(whole_.rowRange(top, top + rows), known > 0);
        return whole_.clone();
    }

  private:
    PixelRect area_;
    cv::Mat1f whole_;
};

/// What unveiling a merge takes, all told.
double bytes_to_unveil(const MergeTask& task) {
    return kProcessBytes + kResultBytes * double(task.area.area()) + decoded_bytes(task.series) +
           unveiling_bytes(task.area.size(), int(task.frames.size()));
}

}  // namespace

std::size_t bytes_to_spare(const MergeMethod& method, const MergeTask& task, std::size_t bytes) {
    const double pixels = double(task.area.area());
    double needed = kProcessBytes + kKept * (decoded_bytes(task.series) + method.bytes_per_px * pixels);
    if (task.settings.unveil && method.uses.unveil)
        needed = std::max(needed, bytes_to_unveil(task));
    return double(bytes) > needed ? std::size_t(double(bytes) - needed) : 0;
}

StripPlan plan_strips(const MergeMethod& method, const MergeTask& task) {
    const int height = task.area.height;
    if (task.memory_bytes == 0) return {height, 0};
    const double pixels = double(task.area.area()), decoded = decoded_bytes(task.series);
    const double held = decoded + kResultBytes * pixels, row = method.bytes_per_px * task.area.width;
    const double budget = (double(task.memory_bytes) - kProcessBytes) / kKept;
    // In one piece the result's planes are made at the end, when most of the rest is gone.
    if (decoded + row * height <= budget) return {height, 0};
    const int least = std::min(height, kLeastRows);
    double needed = held + row * (least + 2 * kMargin);
    if (method.by_depth) needed = std::max(needed, decoded + kSurveyBytes * pixels);
    if (budget < needed)
        throw BadParameter("a merge of this size needs at least " +
                           std::to_string(long(std::ceil((needed * kKept + kProcessBytes) / kMegabyte))) +
                           " MB of memory");
    const int rows = int((budget - held) / row) - 2 * kMargin;
    // Strips of one height, so that the last one is no sliver; each begins on the grid of the whole.
    const int count = (height + rows - 1) / rows, even = (height + count - 1) / count;
    const int on_grid = (even + kPyramidGrid - 1) / kPyramidGrid * kPyramidGrid;
    return {on_grid <= rows ? on_grid : rows / kPyramidGrid * kPyramidGrid, kMargin};
}

namespace {

MergeResult merged_within(const MergeMethod& method, const MergeTask& task, const MergeContext& context,
                          const Job& job) {
    const StripPlan plan = plan_strips(method, task);
    const auto frames_over = [&](PixelRect area) {
        return AlignedFrames(task.series, task.geometry, task.frames, area,
                             reader_of(task.series, context.shelf));
    };
    if (plan.rows >= task.area.height) {
        AlignedFrames frames = frames_over(task.area);
        return method.merge(frames, task.settings, context, job);
    }
    const int count = (task.area.height + plan.rows - 1) / plan.rows;
    MergeContext own = context;
    MergeStatistics statistics;
    const double gathered_share = method.by_depth && !context.statistics ? 1.0 / (1 + 2.0 * count) : 0;
    if (gathered_share > 0) {
        AlignedFrames frames = frames_over(task.area);
        statistics = gather_statistics(frames, task.settings, job.part(0, gathered_share));
        own.statistics = &statistics;
    }
    GrownDepth grown(task.area);
    Strips strips(task.area, plan.margin);
    for (int k = 0; k < count; ++k) {
        const int begin = k * plan.rows, end = std::min(begin + plan.rows, task.area.height);
        const int to = std::min(task.area.height, end + plan.margin);
        // A short last strip takes more along, so that it has as many pyramid levels as the others.
        const int full = (to - plan.rows - 2 * plan.margin) / kPyramidGrid * kPyramidGrid;
        const int from = std::max(0, std::min(begin - plan.margin, full));
        AlignedFrames frames = frames_over({task.area.x, task.area.y + from, task.area.width, to - from});
        if (context.on_frame)
            own.on_frame = [&, from](const std::function<cv::Mat1f()>& so_far) {
                context.on_frame([&] { return grown.with(so_far(), from); });
            };
        const double done = gathered_share + (1 - gathered_share) * k / count;
        strips.add(
            method.merge(frames, task.settings, own, job.part(done, done + (1 - gathered_share) / count)),
            begin, job.quiet());
    }
    return strips.finish();
}

}  // namespace

MergeResult merge_within(const MergeMethod& method, const MergeTask& task, const MergeContext& context,
                         const Job& job) {
    const ReusedMemory memory;
    if (!task.settings.unveil || !method.uses.unveil) return merged_within(method, task, context, job);
    constexpr double kMerging = 0.7;
    const double needed = bytes_to_unveil(task);
    if (task.memory_bytes > 0 && double(task.memory_bytes) < needed) {
        MergeResult result = merged_within(method, task, context, job);
        result.settings.unveil = false;
        result.problems.push_back({-1, "the blur of near things was left on what lies behind them: to take it "
                                       "off at this size needs " +
                                           std::to_string(long(std::ceil(needed / kMegabyte))) +
                                           " MB of memory"});
        return result;
    }
    MergeResult result = merged_within(method, task, context, job.part(0, kMerging));
    AlignedFrames frames(task.series, task.geometry, task.frames, task.area,
                         reader_of(task.series, context.shelf));
    return unveiled(std::move(result), frames, job.part(kMerging, 1));
}

}  // namespace moorhaze
