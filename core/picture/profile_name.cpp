// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/picture/profile_name.h"

#include <lcms2.h>

namespace moorhaze {

std::string profile_name(const ColourProfile& profile) {
    if (profile.icc.empty()) return "sRGB";
    cmsHPROFILE opened = cmsOpenProfileFromMem(profile.icc.data(), cmsUInt32Number(profile.icc.size()));
    if (!opened) return "damaged profile";
    char text[128] = {};
    cmsGetProfileInfoASCII(opened, cmsInfoDescription, "en", "US", text, sizeof text);
    cmsCloseProfile(opened);
    return text[0] ? text : "profile without a name";
}

}  // namespace moorhaze
