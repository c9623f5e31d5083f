// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mend/painted_mask.h"

namespace moorhaze {

Picture painted_mask(const SharedList<Stroke>& strokes, const MergePlanes& planes, const Job& job) {
    const Painted painted = painted_on(strokes, planes.area, planes, job);
    cv::Mat1b grey;
    painted.share.convertTo(grey, CV_8U, 255);
    Picture picture;
    cv::merge(std::vector<cv::Mat>{grey, grey, grey}, picture.pixels);
    return picture;
}

WriteSettings mask_writing(bool overwrite) {
    return {.format = FileFormat::png, .bits = 8, .overwrite = overwrite, .made_with = {}};
}

}  // namespace moorhaze
