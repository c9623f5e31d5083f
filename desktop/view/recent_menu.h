// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QString>
#include <functional>

class QMenu;

namespace moorhaze::desktop {

class RecentProjects;

/// The projects of the start page, from within any other, as the second entry of a menu: looked for anew each
/// time that one opens.
/// @param open  gets the file of the one that was chosen.
void add_recent_menu(RecentProjects& projects, QMenu& menu,
                     const std::function<void(const QString& file)>& open);

}  // namespace moorhaze::desktop
