// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/picture/picture.h"

namespace moorhaze {

/// The picture with the colours of what can be seen continued a few pixels into what is wholly transparent,
/// so that resampling mixes no colour in that nobody sees: as if colours were weighted by their alpha. What
/// can be seen keeps its very bits.
/// @param picture  16 bit.   @param reach_px  ≥ 0.
/// @return  the same picture where nothing is wholly transparent.   Thread-safe.
Picture with_colour_continued(Picture picture, int reach_px);

}  // namespace moorhaze
