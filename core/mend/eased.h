// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

namespace moorhaze {

/// From 0 to 1 with an even start and end.   @param t  0..1.
inline double eased(double t) {
    return t * t * (3 - 2 * t);
}

}  // namespace moorhaze
