// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>

#include "core/picture/picture.h"

namespace moorhaze {

/// The name that a colour profile bears ("sRGB" for none); for telling profiles apart and to people.
/// Thread-safe.
std::string profile_name(const ColourProfile& profile);

}  // namespace moorhaze
