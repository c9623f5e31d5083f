// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <lcms2.h>

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

}  // namespace moorhaze
