// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/picture/picture.h"

namespace moorhaze {

/// The picture without transparency: laid on white, in encoded values (as browsers and page layout do).
/// @return  itself where it is opaque.   Thread-safe; peak memory 1 output.
Picture over_white(const Picture& picture);

}  // namespace moorhaze
