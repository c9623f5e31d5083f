// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/picture/converted.h"

#include "core/picture/profile_handle.h"
#include "core/work/errors.h"
#include "core/work/for_rows.h"

namespace moorhaze {

bool is_rgb_profile(const ColourProfile& profile) {
    const ProfileHandle opened = open_profile(profile);
    if (!opened || cmsGetColorSpace(opened.get()) != cmsSigRgbData) return false;
    return cmsIsMatrixShaper(opened.get()) ||
           cmsIsCLUT(opened.get(), INTENT_RELATIVE_COLORIMETRIC, LCMS_USED_AS_OUTPUT);
}

Picture converted(const Picture& picture, const ColourProfile& to, const Job& job, ColourIntent intent) {
    if (picture.profile == to) return picture;
    const ProfileHandle from = open_profile(picture.profile), target = open_profile(to);
    if (!from || !target || !is_rgb_profile(to))
        throw BadParameter("the colour profile cannot be used; choose one for RGB pictures");
    const cmsUInt32Number format = picture.bits() == 16 ? TYPE_RGB_16 : TYPE_RGB_8;
    const cmsUInt32Number own = intent == ColourIntent::perceptual ? INTENT_PERCEPTUAL
                                : intent == ColourIntent::absolute ? INTENT_ABSOLUTE_COLORIMETRIC
                                                                   : INTENT_RELATIVE_COLORIMETRIC;
    // NOCACHE: rows are converted by several threads at once. NOOPTIMIZE: no table
    // stands between, which would be coarse in the dark.
    const TransformHandle way(
        cmsCreateTransform(from.get(), format, target.get(), format, own,
                           cmsFLAGS_NOCACHE | cmsFLAGS_BLACKPOINTCOMPENSATION | cmsFLAGS_NOOPTIMIZE));
    if (!way) throw BadParameter("there is no way from the picture's colour profile to the one chosen");
    Picture made{cv::Mat(picture.pixels.size(), picture.pixels.type()), picture.alpha, to};
    for_rows(made.height(), job, [&](int y) {
        cmsDoTransform(way.get(), picture.pixels.ptr(y), made.pixels.ptr(y), cmsUInt32Number(made.width()));
    });
    return made;
}

}  // namespace moorhaze
