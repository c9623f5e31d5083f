// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/work/memory_budget.h"
#include "desktop/session/hands/finish_strokes.h"
#include "desktop/session/hands/pointing.h"
#include "desktop/session/hands/stroke_edits.h"
#include "desktop/session/preferences.h"
#include "desktop/session/projects/opening.h"
#include "desktop/session/projects/recent_projects.h"
#include "desktop/session/projects/result_reader.h"
#include "desktop/session/sets/set_run.h"
#include "desktop/session/sets/views_look.h"
#include "desktop/session/shoot/folder_watch.h"
#include "desktop/session/shoot/saved_setups.h"
#include "desktop/session/shoot/shoot_desk.h"
#include "desktop/session/shown/merge_preview.h"
#include "desktop/session/shown/picture_store.h"
#include "desktop/session/shown/quick_look.h"
#include "desktop/session/shown/result_look.h"
#include "desktop/session/shown/series_thumbs.h"
#include "desktop/session/shown/snag_walk.h"
#include "desktop/session/shown/sounding.h"
#include "desktop/session/tasks/bring_in.h"
#include "desktop/session/tasks/culling.h"
#include "desktop/session/tasks/exporter.h"
#include "desktop/session/tasks/hand_over_choice.h"
#include "desktop/session/tasks/handed_names.h"
#include "desktop/session/tasks/match_points.h"
#include "desktop/session/tasks/merging.h"

namespace moorhaze::desktop {

/// All that the window works on, without a widget: what there is, and one controller a task. In the
/// interface's thread.
struct Session : SessionBase {
    /// @param depth_colours  near to far, for what is looked at over a result.
    explicit Session(const std::array<QColor, 256>& depth_colours = {});
    // Both away from here: within the header every file that sees it would make all derived values'
    // templates.
    ~Session();

    /// What everything together may take; a change holds at once.
    int memory_mb() const { return memory_mb_; }
    void set_memory_mb(int megabytes);

    Looking looking{*this};
    Autosave autosave{*this};
    Opening opening{*this, looking, autosave};
    ResultReader result_reader{*this};
    Culling culling{*this};
    Aligning aligning{*this, looking};
    MatchPoints match_points{*this};
    Merging merging{*this, aligning};
    MergePreview merge_preview{*this, merging};
    PictureStore store{*this};
    MendedDisplay mended_display{*this, store};
    Brushwork brushwork{*this, store, mended_display};
    StrokeEdits stroke_edits{*this, brushwork};
    BringIn bring_in{*this};
    Sounding sounding{*this};
    SnagWalk snag_walk{*this};
    Pointing pointing{*this, culling, sounding};
    QuickLook quick_look{*this};
    ResultLook result_look;
    FinishLook finish_look{*this};
    Finishing finishing{*this, finish_look};
    FinishStrokes finish_strokes{*this, finish_look, finishing};
    Exporter exporter{*this};
    HandOverChoice hand_over_choice{*this};
    HandedNames handed_names{*this};
    ShootDesk shoot_desk{*this, opening};
    SavedSetups saved_setups{*this, shoot_desk};
    FolderWatch folder_watch{*this, opening};
    SeriesThumbs series_thumbs{*this};
    SetRecipe set_recipe{*this};
    SetList set_list{*this};
    SetRun set_run{*this, set_recipe, set_list};
    ViewsLook views_look{*this, set_recipe, set_run};
    RecentProjects recent_projects{autosave};
    Preferences preferences{*this};

  private:
    int memory_mb_ = default_memory_mb();
};

}  // namespace moorhaze::desktop
