// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "desktop/view/menu.h"
#include "desktop/view/window_commands.h"

namespace moorhaze::desktop {

/// Recipes, sets that are watched for, and what a turntable's views become.
void add_set_commands(Menu& menu, Session& session, const WindowSteps& steps);

}  // namespace moorhaze::desktop
