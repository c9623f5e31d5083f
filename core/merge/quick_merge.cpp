// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/quick_merge.h"
#include "core/align/measure_series.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/focus/modified_laplacian.h"
#include "core/picture/blur.h"
#include "core/work/clones.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

/// Sharpness in steps of 1/kStepsPerDouble of a doubling, above kFaintest.
constexpr float kStepsPerDouble = 24, kFaintest = 0.002f;
/// A frame counts half when it is this many steps less sharp than the sharpest.
constexpr double kHalvedAfter = 5;
constexpr double kNeighbourhood = 2.5;  ///< sigma in preview pixels
constexpr int kRegisterLongSide = 400;
constexpr int kFullPreviews = 100;
constexpr unsigned char kNotCovered = 128;
/// Share of the places along a line that may tell another depth, at each end.
constexpr double kStrays = 0.05;

cv::Mat1f luma_of(const cv::Mat3b& preview) {
    cv::Mat grey;
    cv::Mat1f luma;
    cv::cvtColor(preview, grey, cv::COLOR_RGB2GRAY);
    grey.convertTo(luma, CV_32F, 1 / 255.0);
    return luma;
}

cv::Mat1b sharpness_of(const cv::Mat3b& pixels, const cv::Mat1b& covered) {
    const cv::Mat1f detail =
        gaussian_blur(modified_laplacian(luma_of(pixels), 1, Job{}), kNeighbourhood, Job{});
    cv::Mat1b steps(detail.size());
    for (int y = 0; y < steps.rows; ++y)
        for (int x = 0; x < steps.cols; ++x)
            steps(y, x) =
                covered(y, x) < 255
                    ? 0
                    : cv::saturate_cast<unsigned char>(
                          1 + kStepsPerDouble * std::log2(std::max(1.0f, detail(y, x) / kFaintest)));
    return steps;
}

/// Weight by how many steps a frame lies below the sharpest.
const std::array<float, 256>& weights() {
    static const auto table = [] {
        std::array<float, 256> made{};
        for (std::size_t below = 0; below < made.size(); ++below)
            made[below] = below > 48 ? 0.0f : float(std::exp2(-double(below) / kHalvedAfter));
        return made;
    }();
    return table;
}

MOORHAZE_CLONES void raise(const unsigned char* own, unsigned char* most, int count) {
    for (int x = 0; x < count; ++x) most[x] = std::max(most[x], own[x]);
}

}  // namespace

PreviewShelf::PreviewShelf(int frames) : pictures_(std::size_t(frames)) {
    if (frames > kFullPreviews) shrink_ = std::sqrt(double(kFullPreviews) / frames);
}

void PreviewShelf::put(int frame, const cv::Mat3b& preview) {
    cv::Mat3b kept = preview;
    if (shrink_ < 1) cv::resize(preview, kept, {}, shrink_, shrink_, cv::INTER_AREA);
    const std::lock_guard lock(guard_);
    pictures_[std::size_t(frame)] = kept;
}

SeriesGeometry register_previews(const std::vector<cv::Mat3b>& previews, const Job& job) {
    std::vector<bool> used;
    cv::Size size;
    int readable = 0;
    for (const cv::Mat3b& preview : previews) {
        used.push_back(!preview.empty() && (size.empty() || preview.size() == size));
        if (used.back()) size = preview.size(), ++readable;
    }
    SeriesGeometry none;
    none.frames.resize(previews.size());
    for (std::size_t i = 0; i < previews.size(); ++i) none.frames[i].registered = used[i];
    if (readable < 2) return none;
    int reference = 0, seen = 0;
    for (int i = 0; i < int(previews.size()); ++i)
        if (used[std::size_t(i)] && ++seen == (readable + 1) / 2) reference = i;
    const double shrink = std::min(1.0, double(kRegisterLongSide) / std::max(size.width, size.height));
    auto load = [&](int i, std::string&) -> std::optional<RegistrationView> {
        cv::Mat1f luma = luma_of(previews[std::size_t(i)]);
        cv::resize(luma, luma, {}, shrink, shrink, cv::INTER_AREA);
        return registration_view(luma, size, job.quiet());
    };
    PlaceSettings settings;
    settings.reference = reference;
    settings.model = PlaneModel::similarity;
    settings.levelling = Levelling::off;
    return place_frames(measure_frames(used, size, load, job), settings);
}

QuickMerge::QuickMerge(const std::vector<cv::Mat3b>& previews, const SeriesGeometry& geometry, const Job& job)
    : warped_(previews.size()), geometry_(geometry) {
    for (const cv::Mat3b& preview : previews)
        if (!preview.empty()) size_ = preview.size();
    for_rows(int(previews.size()), job.part(0, 0.5), [&](int i) {
        const auto place = std::size_t(i);
        const FrameGeometry& own = geometry.frames[place];
        if (previews[place].empty() || !own.registered) return;
        const cv::Matx33d matrix = own.matrix;
        cv::Mat covered(previews[place].size(), CV_8UC1, cv::Scalar(255)), warped;
        cv::warpPerspective(previews[place], warped_[place].pixels, matrix, size_, cv::INTER_LINEAR,
                            cv::BORDER_REPLICATE);
        cv::warpPerspective(covered, warped, matrix, size_, cv::INTER_LINEAR, cv::BORDER_CONSTANT,
                            cv::Scalar(0));
        warped_[place].sharpness = sharpness_of(warped_[place].pixels, warped);
    });
    if (size_.empty()) return;
    SharpMapMaker maker(size_);
    for (std::size_t i = 0; i < warped_.size(); ++i) {
        job.checkpoint(0.5 + 0.5 * double(i) / double(warped_.size()));
        if (!warped_[i].pixels.empty())
            maker.add(int(i), luma_of(warped_[i].pixels), covered(i), job.quiet());
    }
    sharp_ = maker.finish(job.quiet());
}

std::vector<RowSpan> QuickMerge::covered(std::size_t frame) const {
    std::vector<RowSpan> rows;
    for (int y = 0; y < size_.height; ++y) {
        const unsigned char* const own = warped_[frame].sharpness[y];
        RowSpan row{0, size_.width};
        while (row.begin < row.end && own[row.begin] == 0) ++row.begin;
        while (row.begin < row.end && own[row.end - 1] == 0) --row.end;
        rows.push_back(row);
    }
    return rows;
}

SharpFrames QuickMerge::sharp_at(double across, double down, int shown) const {
    cv::Vec3d place(across * size_.width - 0.5, down * size_.height - 0.5, 1);
    if (shown >= 0 && geometry_.frames[std::size_t(shown)].registered)
        place = geometry_.frames[std::size_t(shown)].matrix * place;
    const cv::Point2d at(place[0] / place[2], place[1] / place[2]);
    return cv::Rect2d(-0.5, -0.5, size_.width, size_.height).contains(at) ? sharp_.at(at, usual_reach(size_))
                                                                          : SharpFrames{};
}

std::optional<FrameRange> QuickMerge::range_along(const std::vector<cv::Point2d>& places, int shown,
                                                  int spare) const {
    std::vector<int> frames;
    for (const cv::Point2d& place : places)
        if (const SharpFrames sharp = sharp_at(place.x, place.y, shown); !sharp.frames.empty())
            frames.push_back(sharp.frames[0].frame);
    if (frames.empty()) return {};
    std::sort(frames.begin(), frames.end());
    const auto strays = std::ptrdiff_t(kStrays * double(frames.size()));
    const int last = int(warped_.size()) - 1;
    return FrameRange{std::max(0, *(frames.begin() + strays) - spare),
                      std::min(last, *(frames.end() - 1 - strays) + spare)};
}

QuickMerge QuickMerge::reordered(const std::vector<int>& order) const {
    QuickMerge other = *this;
    for (std::size_t k = 0; k < order.size(); ++k) {
        other.warped_[k] = warped_[std::size_t(order[k])];
        other.geometry_.frames[k] = geometry_.frames[std::size_t(order[k])];
        if (order[k] == geometry_.reference) other.geometry_.reference = int(k);
    }
    other.sharp_ = sharp_.reordered(order);
    return other;
}

cv::Mat3b QuickMerge::merge(const std::vector<int>& frames, const Job& job) const {
    std::vector<const Warped*> chosen;
    for (const int frame : frames)
        if (!warped_[std::size_t(frame)].pixels.empty()) chosen.push_back(&warped_[std::size_t(frame)]);
    if (chosen.empty()) return {};
    cv::Mat3b merged(size_);
    for_rows(size_.height, job, [&](int y) {
        const int width = size_.width;
        std::vector<unsigned char> most(static_cast<std::size_t>(width), 0);
        std::vector<cv::Vec4f> sums(static_cast<std::size_t>(width));
        for (const Warped* warped : chosen) raise(warped->sharpness[y], most.data(), width);
        for (const Warped* warped : chosen) {
            const unsigned char* sharpness = warped->sharpness[y];
            const cv::Vec3b* pixels = warped->pixels[y];
            for (int x = 0; x < width; ++x) {
                if (sharpness[x] == 0) continue;
                const float weight = weights()[std::size_t(most[std::size_t(x)] - sharpness[x])];
                if (weight == 0) continue;
                sums[std::size_t(x)] +=
                    cv::Vec4f(weight * pixels[x][0], weight * pixels[x][1], weight * pixels[x][2], weight);
            }
        }
        for (int x = 0; x < width; ++x) {
            const cv::Vec4f& sum = sums[std::size_t(x)];
            for (int c = 0; c < 3; ++c)
                merged(y, x)[c] =
                    sum[3] > 0 ? cv::saturate_cast<unsigned char>(sum[c] / sum[3]) : kNotCovered;
        }
    });
    return merged;
}

}  // namespace moorhaze
