// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/picture/picture.h"

namespace moorhaze::desktop {

/// The profile that pictures are shown by; empty: sRGB. In any thread.
const ColourProfile& screen_profile();
/// Before anything is shown, and while nothing is.
void set_screen_profile(const ColourProfile& profile);

/// The profile that the desktop names for the first screen; empty where it names none, or one that is not of
/// RGB. Source: ICC Profiles in X Specification 0.4 (freedesktop.org): the property _ICC_PROFILE of the root
/// window.
ColourProfile profile_of_desktop();

}  // namespace moorhaze::desktop
