// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/picture/picture.h"

namespace moorhaze {

/// An area with so many px more on each side.
inline PixelRect grown(PixelRect area, int by) {
    return {area.x - by, area.y - by, area.width + 2 * by, area.height + 2 * by};
}

}  // namespace moorhaze
