// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>

#include "desktop/session/session.h"
#include "desktop/view/commands.h"

namespace moorhaze::desktop {

class PictureArea;

/// What commands need of the window itself: dialogs, and what lies outside of the session.
struct WindowSteps {
    std::function<void()> ask_for_folder, ask_for_files, ask_for_project, keep_as, find_frames, save_frame,
        save_mask, bring_in, ask_memory, close, fold_tray, switch_light, show_keys, show_said, begin_anew,
        close_series, show_about, next_in_plan, export_picture, save_look, use_look, show_sets, take_recipe,
        save_recipe, watch_folder, escape;
    std::function<void(const QString& name)> open_demo;
    std::function<bool()> is_planning, is_tray_open, is_light_next;
    QStringList demos;
};

/// Adds all commands of the window. Menus are headed as `menu_headings()` says, in that order.
void add_window_commands(Commands& commands, Session& session, PictureArea& area, const WindowSteps& steps);
QStringList menu_headings();

}  // namespace moorhaze::desktop
