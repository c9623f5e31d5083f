// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/merge.h"

#include <algorithm>

#include "core/merge/depth_merge.h"
#include "core/merge/even_blend.h"
#include "core/merge/pyramid_merge.h"
#include "core/merge/woven_merge.h"

namespace moorhaze {

const std::vector<MergeMethod>& merge_methods() {
    static const std::vector<MergeMethod> methods = {
        {"woven",
         "Woven",
         "Depth map and pyramid interwoven by trust: needs the least mending.",
         &woven_merge,
         66,
         true,
         {.detail_size = true,
          .seam_width = true,
          .trust_floor = true,
          .backdrop = true,
          .glare_guard = true,
          .grain_guard = true,
          .unveil = true}},
        {"pyramid",
         "Pyramid",
         "Chooses by detail size: for crossing hairs, deep steps and long series.",
         &pyramid_merge,
         56,
         false,
         {.glare_guard = true, .grain_guard = true, .unveil = true}},
        {"depth",
         "Depth map",
         "Takes each place from the frame that is sharpest there: true colours, smooth surfaces.",
         &depth_merge,
         44,
         true,
         {.detail_size = true, .seam_width = true, .trust_floor = true, .backdrop = true, .unveil = true}},
        {"blend",
         "Even blend",
         "Weighs the frames by sharpness: gentle, without seams.",
         &even_blend,
         54,
         false,
         {.detail_size = true}},
    };
    return methods;
}

std::optional<cv::Mat1s> MergeStatistics::highlights_in(const PixelRect& target) const {
    if (!highlights) return std::nullopt;
    const cv::Rect half((target.x - area.x) / 2, (target.y - area.y) / 2, (target.width + 1) / 2,
                        (target.height + 1) / 2);
    if ((target & area) != target || (half & cv::Rect({}, highlights->size())) != half) return std::nullopt;
    return (*highlights)(half);
}

cv::Point MergeStatistics::in_moved(const PixelRect& target, cv::Point place, int level) const {
    const cv::Size size = moved.first.size();
    const auto held = [&](int along, int origin, int last) {
        return std::clamp(((along << level) + origin) >> downsamplings, 0, last);
    };
    return {held(place.x, target.x - area.x, size.width - 1),
            held(place.y, target.y - area.y, size.height - 1)};
}

int MergeStatistics::run_in_moved(const PixelRect& target, cv::Point place, int level, int width) const {
    const int column = in_moved(target, place, level).x;
    if (column + 1 >= moved.first.cols) return width;
    const int next = ((column + 1) << downsamplings) - (target.x - area.x);  // in pixels of the target
    return std::clamp((next + (1 << level) - 1) >> level, place.x + 1, std::max(width, place.x + 1));
}

const char* words_for(MadeBy made_by) {
    switch (made_by) {
        case MadeBy::depth_map:
            return "depth map";
        case MadeBy::pyramid:
            return "pyramid";
        case MadeBy::blend:
            return "even blend";
        case MadeBy::backdrop:
            return "backdrop";
        case MadeBy::one_state:
            return "one state of what moved";
        case MadeBy::highlight:
            return "the frame of a highlight";
        case MadeBy::unveiled:
            return "frames without the blur before it";
        case MadeBy::nothing:
            break;
    }
    return "nothing";
}

const MergeMethod& merge_method(const std::string& name) {
    std::string known;
    for (const MergeMethod& method : merge_methods()) {
        if (method.name == name) return method;
        known += (known.empty() ? "" : ", ") + method.name;
    }
    throw BadParameter("there is no merge method '" + name + "'. There are: " + known + ".");
}

void check(const MergeSettings& settings) {
    auto within = [](double value, double low, double high) { return value >= low && value <= high; };
    if (!within(settings.detail_size_px, 1, 40))
        throw BadParameter("the detail size lies between 1 and 40 px");
    if (!within(settings.seam_width_px, 0, 40)) throw BadParameter("the seam width lies between 0 and 40 px");
    if (settings.backdrop_frame < 0)
        throw BadParameter("the backdrop's frame is a number from 1, or 0 for none");
    if (!within(settings.trust_floor, 0, 1)) throw BadParameter("the trust floor lies between 0 and 1");
}

}  // namespace moorhaze
