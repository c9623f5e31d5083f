#include "core/merge/merge.h"

#include "core/merge/depth_merge.h"
#include "core/merge/even_blend.h"
#include "core/merge/pyramid_merge.h"
#include "core/merge/woven_merge.h"

namespace moorhaze {

const std::vector<MergeMethod>& merge_methods() {
    static const std::vector<MergeMethod> methods = {
        {"woven", "Woven",
         "Depth map where one depth is sure, pyramid where several meet, one state of what moved: needs the "
         "least "
         "mending.",
         &woven_merge},
        {"pyramid", "Pyramid", "Chooses by detail size: for crossing hairs, deep steps and long series.",
         &pyramid_merge},
        {"depth", "Depth map",
         "Takes each place from the frame that is sharpest there: true colours, smooth surfaces.",
         &depth_merge},
        {"blend", "Even blend", "Weighs the frames by sharpness: gentle, without seams.", &even_blend},
    };
    return methods;
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
