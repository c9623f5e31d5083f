// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/files/picture_file.h"

namespace moorhaze::desktop {

/// Both pictures' edges over a dimmed grey picture of them: those of `shown` violet, those of `other`
/// yellow-green; where they lie on each other the colours add up to white. Each picture's edges are as strong
/// as its own strongest ones, so that a soft frame shows too.   @return 8 bit sRGB values, RGB.
cv::Mat3b tinted_edges(const Picture& shown, const Picture& other, const Job& job);

}  // namespace moorhaze::desktop
