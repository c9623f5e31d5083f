#pragma once
#include "core/picture/picture.h"
#include "core/work/job.h"

namespace moorhaze {

/// The picture's colours in another profile, relative colorimetric with black point compensation; pixels that
/// are grey stay grey where both profiles are of RGB with a common white. Itself where the profiles are the
/// same.
/// @return  of the same depth.   @throws BadParameter for a profile that is none or not of RGB; Cancelled.
/// Thread-safe; peak memory 1 output.
Picture converted(const Picture& picture, const ColourProfile& to, const Job& job);

/// True for the bytes of an RGB profile that pictures can be converted to.
bool is_rgb_profile(const ColourProfile& profile);

}  // namespace moorhaze
