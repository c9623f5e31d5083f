// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/project/project_folder.h"
#include "desktop/session/document/standpoint.h"

namespace moorhaze::desktop {

/// Names of stages in files and scripts.
const char* name_of(Stage stage);
/// Nothing when no stage is called so.
std::optional<Stage> stage_named(const std::string& name);

/// Where the person stands, for a project's file.
Standing standing_of(const Standpoint& standpoint);
/// Goes there; what is not there any more is passed over.
void stand(Standpoint& standpoint, const Standing& standing);

}  // namespace moorhaze::desktop
