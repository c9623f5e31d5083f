// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/preview_frames.h"

#include <algorithm>

namespace moorhaze {
namespace {

constexpr int kInfluence = 48;  // px; what lies farther off hardly changes what is chosen

PixelRect widened(PixelRect area, PixelRect whole) {
    // From the whole's grid on, so that choices at coarse sizes are the whole's.
    const auto on_grid = [](int place, int origin) {
        return origin + std::max(0, place - kInfluence - origin) / kPyramidGrid * kPyramidGrid;
    };
    const int left = on_grid(area.x, whole.x), top = on_grid(area.y, whole.y);
    return PixelRect(left, top, area.x + area.width + kInfluence - left,
                     area.y + area.height + kInfluence - top) &
           whole;
}

/// Widened so that the part's halves and quarters are the whole frame's.
cv::Rect on_quarters(cv::Rect part, cv::Size frame) {
    const cv::Point first(part.x / 4 * 4 - 4, part.y / 4 * 4 - 4);
    return cv::Rect(first, part.br() + cv::Point(8, 8)) & cv::Rect({}, frame);
}

}  // namespace

PreviewFrames::PreviewFrames(const Series& series, const SeriesGeometry& geometry,
                             const std::vector<int>& frames, PixelRect area, PixelRect whole, const Job& job)
    : series_(series),
      geometry_(geometry),
      frames_(frames),
      area_(area & whole),
      whole_(whole),
      read_(widened(area_, whole)),
      parts_(series.frames.size(), tl::unexpected(FrameProblem{0, "was not read"})) {
    if (area_.empty()) throw BadParameter("the area to try lies outside the merge");
    for (std::size_t k = 0; k < frames_.size(); ++k) {
        job.checkpoint(double(k) / double(frames_.size()));
        const auto index = std::size_t(frames_[k]);
        if (!geometry_.frames[index].registered) continue;
        const Frame& frame = series_.frames[index];
        try {
            const Picture picture = read_picture(frame.path, frame.development);
            const cv::Rect needed = needed_of(picture.pixels.size(), plan_of(geometry_, frames_[k], read_));
            // A frame that does not reach the area is still a frame: a corner of it covers nothing.
            const cv::Rect part =
                needed.empty() ? cv::Rect(0, 0, 1, 1) : on_quarters(needed, picture.pixels.size());
            FramePixels pixels{{picture.pixels(part).clone(), {}, picture.profile},
                               {part.tl(), picture.pixels.size()}};
            parts_[index] = std::move(pixels);
        } catch (const FileError& error) {
            parts_[index] = tl::unexpected(FrameProblem{frames_[k], error.what()});
        }
    }
}

MergeResult PreviewFrames::merge(const MergeMethod& method, const MergeSettings& settings,
                                 const MergeStatistics* statistics, PixelRect part, const Job& job) const {
    const PixelRect wanted = part & area_;
    if (wanted.empty()) throw BadParameter("the part to try lies outside what was read");
    const PixelRect target = widened(wanted, whole_) & read_;
    AlignedFrames frames(series_, geometry_, frames_, target,
                         [this](int frame) { return parts_[std::size_t(frame)]; });
    MergeContext context;
    context.statistics = statistics;
    MergeResult result = method.merge(frames, settings, context, job);
    const cv::Rect own(wanted.x - target.x, wanted.y - target.y, wanted.width, wanted.height);
    const auto cut = [&](auto& plane) {
        if (!plane.empty()) plane = plane(own).clone();
    };
    cut(result.picture.pixels);
    cut(result.picture.alpha);
    cut(result.source);
    cut(result.made_by);
    cut(result.depth);
    cut(result.trust);
    result.area = wanted;
    return result;
}

std::size_t PreviewFrames::bytes() const {
    std::size_t sum = 0;
    for (const auto& part : parts_)
        if (part) sum += part->picture.pixels.total() * part->picture.pixels.elemSize();
    return sum;
}

}  // namespace moorhaze
