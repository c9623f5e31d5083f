// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/picture/picture.h"
#include "core/work/job.h"

namespace moorhaze {

/// What becomes of colours that the other profile has not (ICC.1, 6.2).
enum class ColourIntent {
    relative,    ///< relative colorimetric with black point compensation: what fits stays as it is
    perceptual,  ///< as the profile's maker laid it out; of profiles without such a table as relative
    absolute     ///< the white of the one on the other's: for proofs
};

/// The picture's colours in another profile; where they are relative colorimetric, pixels that are grey stay
/// grey where both profiles are of RGB with a common white. Itself where the profiles are the same.
/// @return  of the same depth.   @throws BadParameter for a profile that is none or not of RGB; Cancelled.
/// Thread-safe; peak memory 1 output.
Picture converted(const Picture& picture, const ColourProfile& to, const Job& job,
                  ColourIntent intent = ColourIntent::relative);

/// True for the bytes of an RGB profile that pictures can be converted to.
bool is_rgb_profile(const ColourProfile& profile);

}  // namespace moorhaze
