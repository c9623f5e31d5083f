// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/project/project.h"

namespace moorhaze {

/// Checks what a file says before anything works with it: names that occur twice, places and numbers that
/// cannot be.
/// @throws FileError saying what is wrong, without a file's name.   Thread-safe.
void check_sound(const Project& project);

}  // namespace moorhaze
