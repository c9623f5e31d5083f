// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <lcms2.h>

#include <algorithm>
#include <iterator>
#include <memory>

#include "core/picture/picture.h"

namespace moorhaze {

struct ProfileCloser {
    void operator()(void* profile) const noexcept { cmsCloseProfile(profile); }
};
struct TransformCloser {
    void operator()(void* transform) const noexcept { cmsDeleteTransform(transform); }
};
using ProfileHandle = std::unique_ptr<void, ProfileCloser>;
using TransformHandle = std::unique_ptr<void, TransformCloser>;

/// Little CMS's view of a profile; null for bytes that are none.
inline ProfileHandle open_profile(const ColourProfile& profile) {
    return ProfileHandle(
        profile.icc.empty() ? cmsCreate_sRGBProfile()
                            : cmsOpenProfileFromMem(profile.icc.data(), cmsUInt32Number(profile.icc.size())));
}

/// The curve of IEC 61966-2-1 as a parametric curve of ICC.1 type 3 (which lcms counts as 4). To be freed.
inline cmsToneCurve* srgb_curve() {
    const cmsFloat64Number values[5] = {2.4, 1 / 1.055, 0.055 / 1.055, 1 / 12.92, 0.04045};
    return cmsBuildParametricToneCurve(nullptr, 4, values);
}

/// A profile of three primaries around D65 (CIE 1931: 0.3127, 0.3290), its curve the same for all three.
/// @param curve  is freed.
inline ColourProfile profile_of(const char* description, const cmsCIExyYTRIPLE& primaries,
                                cmsToneCurve* curve) {
    const cmsCIExyY white{0.3127, 0.3290, 1};
    cmsToneCurve* const curves[] = {curve, curve, curve};
    const ProfileHandle made(cmsCreateRGBProfile(&white, &primaries, curves));
    cmsFreeToneCurve(curve);
    cmsMLU* const name = cmsMLUalloc(nullptr, 1);
    cmsMLUsetASCII(name, "en", "US", description);
    if (made) cmsWriteTag(made.get(), cmsSigProfileDescriptionTag, name);
    cmsMLUfree(name);
    ColourProfile bytes;
    cmsUInt32Number size = 0;
    if (made && cmsSaveProfileToMem(made.get(), nullptr, &size)) {
        bytes.icc.resize(size);
        cmsSaveProfileToMem(made.get(), bytes.icc.data(), &size);
        // Its date (ICC.1 header, bytes 24 to 35) would differ from run to run.
        static constexpr unsigned char date[12] = {0x07, 0xea, 0, 1, 0, 1, 0, 0, 0, 0, 0, 0};
        std::copy(std::begin(date), std::end(date), bytes.icc.begin() + 24);
    }
    return bytes;
}

}  // namespace moorhaze
