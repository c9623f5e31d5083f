// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/document/changes.h"

#include <algorithm>

#include "core/project/inputs.h"

namespace moorhaze::desktop {

Changes changes_between(const Project& before, const Project& after) {
    Changes changes;
    const auto versions = look_inputs(before).frames, now = look_inputs(after).frames;
    changes.frames =
        versions.size() != now.size() || !std::is_permutation(versions.begin(), versions.end(), now.begin());
    changes.order = !changes.frames && versions != now;
    for (const ProjectFrame& frame : after.frames)
        if (const auto place = place_of(before, frame.id)) {
            const ProjectFrame& earlier = before.frames[*place];
            changes.used = changes.used || earlier.used != frame.used;
            changes.shot_again = changes.shot_again || earlier.revision != frame.revision;
        }
    changes.range = range_of(before) != range_of(after);
    changes.reference = before.reference != after.reference;
    changes.development = before.development != after.development;
    changes.placing = before.placing != after.placing;
    changes.kept = before.kept != after.kept;
    changes.merge = before.merge != after.merge;
    changes.finish = before.finish != after.finish;
    changes.hand_over = before.hand_over != after.hand_over;
    changes.set = before.set != after.set;
    changes.shooting = before.shooting != after.shooting;
    changes.card = before.card != after.card || before.card_place != after.card_place;
    changes.results = before.results.size() != after.results.size();
    for (const ProjectResult& result : after.results) {
        const ProjectResult* earlier = find_result(before, result.id);
        if (!earlier) {
            changes.results = true;
            continue;
        }
        if (earlier == &result) continue;
        changes.results = changes.results || earlier->title != result.title ||
                          earlier->ahead != result.ahead ||
                          is_handed_over(before, *earlier) != is_handed_over(after, result);
        if (earlier->strokes != result.strokes || earlier->ignored != result.ignored)
            changes.mended.push_back(result.id);
    }
    return changes;
}

Changes joined(const Changes& one, const Changes& other) {
    Changes both = one;
    for (bool Changes::*flag :
         {&Changes::series, &Changes::frames, &Changes::shot_again, &Changes::order, &Changes::used,
          &Changes::range, &Changes::reference, &Changes::development, &Changes::placing, &Changes::kept,
          &Changes::merge, &Changes::results, &Changes::shooting, &Changes::finish, &Changes::hand_over,
          &Changes::set, &Changes::card})
        both.*flag = one.*flag || other.*flag;
    for (const ResultId result : other.mended)
        if (!std::count(both.mended.begin(), both.mended.end(), result)) both.mended.push_back(result);
    return both;
}

}  // namespace moorhaze::desktop
