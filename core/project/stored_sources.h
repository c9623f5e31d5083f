// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/mend/mended.h"
#include "core/project/inputs.h"

namespace moorhaze {

/// The other results that strokes come from, as the project's folder keeps them, in another plane.
/// @param folder  of the project.   @throws FileError for a result that cannot be read.   Thread-safe.
ResultSources stored_sources(const SharedList<Stroke>& strokes, const Project& project,
                             const FrameFacts& facts, const std::filesystem::path& folder,
                             const Series& series, const SeriesGeometry& geometry);

/// The result of a number from 1; 0: the newest.   @throws FileError without results, BadParameter.
const ProjectResult& result_numbered(const Project& project, int number, const std::string& file);

}  // namespace moorhaze
