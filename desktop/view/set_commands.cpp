// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/view/set_commands.h"

namespace moorhaze::desktop {
void add_set_commands(Menu& menu, Session& s, const WindowSteps& steps) {
    menu.add(
        "make-recipe", tr("Make a recipe of this"), "",
        tr("What is decided about the open series, to be done to many others, on Plan's page Sets"),
        [&s, steps] {
            s.set_run.make_recipe();
            steps.show_sets();
        },
        menu.with_series());
    menu.add("take-recipe", tr("Take a recipe..."), "", tr("A recipe that was saved, for the page Sets"),
             [steps] {
                 steps.take_recipe();
                 steps.show_sets();
             });
    menu.add("save-recipe", tr("Save the recipe..."), "",
             tr("A file for other sets, and for moorhaze-cli run"), steps.save_recipe,
             {{}, [&s] {
                  return s.set_recipe.is_there() ? QString() : tr("There is no recipe yet: make one first.");
              }});
    menu.add("watch-set", tr("Watch a folder for series..."), "",
             tr("Each series that arrives in it is done by the recipe as soon as it is whole"),
             [steps] {
                 steps.watch_folder();
                 steps.show_sets();
             },
             {{}, [&s] {
                  return !s.set_recipe.is_there()   ? tr("There is no recipe yet: make one first.")
                         : s.set_run.is_running()   ? tr("The set is being worked on.")
                         : s.set_recipe.turntable() ? tr("A turntable's views are done together: take "
                                                         "Turntable out of the recipe first.")
                                                    : QString();
              }});
    const auto with_views = [&s] {
        return s.views_look.is_there() ? QString()
                                       : tr("Do a set whose recipe has a turntable first (Plan, Sets).");
    };
    menu.add("show-views", tr("All views of the turntable"), "",
             tr("Over each other, to choose one crop for all; then finish them, and make a spin page"),
             [&s] {
                 s.standpoint.set_stage(Stage::finish);
                 s.standpoint.set_finish_page(FinishPage::views);
             },
             {{}, with_views});
    menu.add("finish-views", tr("Finish all views"), "",
             tr("Frames, lights and writes all views alike; those that are merged are not merged again"),
             [&s] { s.set_run.start(s.merging.memory_mb()); },
             {{}, [&s, with_views] {
                  return s.set_run.is_running() ? tr("The set is being worked on.") : with_views();
              }});
    menu.add("crop-views", tr("Crop around the object"), "",
             tr("One crop around all that is seen of the object in any view, with the margin"),
             [&s] { s.views_look.set_crop(std::nullopt); }, {{}, with_views});
    menu.add("spin-page", tr("Make a spin page"), "",
             tr("A folder that opens in a browser: dragged, the object turns; wheel and fingers zoom"),
             [&s] { s.views_look.make_spin_page(); },
             {{}, [&s, with_views] {
                  const QString why = with_views();
                  return why.isEmpty() ? s.views_look.why_no_spin_page() : why;
              }});
}

}  // namespace moorhaze::desktop
