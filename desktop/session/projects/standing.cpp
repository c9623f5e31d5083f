// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/projects/standing.h"

namespace moorhaze::desktop {
namespace {

constexpr const char* kStageNames[kStageCount] = {"plan", "cull", "align", "merge", "mend", "finish"};

}  // namespace

const char* name_of(Stage stage) {
    return kStageNames[std::size_t(stage)];
}

std::optional<Stage> stage_named(const std::string& name) {
    for (int i = 0; i < kStageCount; ++i)
        if (name == kStageNames[i]) return Stage(i);
    return std::nullopt;
}

Standing standing_of(const Standpoint& standpoint) {
    Standing own{name_of(standpoint.stage()), standpoint.frame(), std::nullopt};
    if (const ProjectResult* result = standpoint.result()) own.result = result->id;
    return own;
}

void stand(Standpoint& standpoint, const Standing& standing) {
    if (standing.frame) standpoint.set_frame(*standing.frame);
    if (standing.result) standpoint.set_result(standing.result);
    standpoint.set_stage(stage_named(standing.stage).value_or(Stage::cull));
}

}  // namespace moorhaze::desktop
