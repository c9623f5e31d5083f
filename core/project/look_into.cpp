// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/look_into.h"

#include <algorithm>

#include "core/series/mixed.h"

namespace moorhaze {
Looked look_into(const Series& series, const LookTask& task, const Job& job) {
    const bool rail = travel_from_metadata(series) == Travel::rail;
    PreviewShelf shelf(series.count());
    ProfiledFrames frames = profile_frames(
        series, task.cache, task.shelf,
        [&](int frame, const FrameLook& look) {
            if (rail || task.quick_merge) shelf.put(frame, look.preview);
            if (task.on_frame) task.on_frame(frame, cv::mean(look.profile.sharpness)[0]);
        },
        job.part(0, 0.85));
    Looked looked;
    looked.profiles = std::move(frames.profiles);
    looked.problems = std::move(frames.problems);
    looked.content_keys = std::move(frames.content_keys);
    SeriesGeometry geometry;
    if (rail || task.quick_merge) geometry = register_previews(shelf.pictures(), job.part(0.85, 0.97));
    if (rail) looked.growth = growth_along(geometry);
    if (task.quick_merge)
        looked.quick = std::make_shared<const QuickMerge>(shelf.pictures(), geometry, job.part(0.97, 1));
    return reported(std::move(looked), series);
}

Looked reported(Looked looked, const Series& series) {
    SeriesReport found = report_on(series, looked.profiles, looked.growth);
    looked.whole = std::move(found.whole);
    looked.order = std::move(found.order);
    std::vector<std::string> colours;
    for (const FocusProfile& profile : looked.profiles) colours.push_back(profile.colours);
    looked.mixed = mixed_settings(series, colours);
    return looked;
}

Looked permuted(const Looked& looked, const std::vector<int>& order) {
    Looked made;
    auto new_place = [&](int old) { return int(std::find(order.begin(), order.end(), old) - order.begin()); };
    for (const int old : order) {
        const auto from = std::size_t(old);
        made.profiles.push_back(looked.profiles[from]);
        if (from < looked.content_keys.size()) made.content_keys.push_back(looked.content_keys[from]);
        if (from < looked.whole.share.size()) made.whole.share.push_back(looked.whole.share[from]);
        if (from < looked.whole.flags.size()) made.whole.flags.push_back(looked.whole.flags[from]);
    }
    made.whole.suggested_reference = new_place(looked.whole.suggested_reference);
    for (const FrameProblem& problem : looked.problems)
        made.problems.push_back({new_place(problem.frame_index), problem.what});
    if (looked.quick) made.quick = std::make_shared<const QuickMerge>(looked.quick->reordered(order));
    // A rail series that is turned round shrinks as it grew before.
    made.growth = looked.growth && made.quick ? growth_along(made.quick->geometry()) : looked.growth;
    return made;
}

}  // namespace moorhaze
