// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/mend/snags.h"
#include "core/project/inputs.h"

namespace moorhaze {

/// The series that a result was made from, its frames in the order that they had then.
/// @throws FileError when the project has one of its frames no more.   Thread-safe.
Series series_of_result(const Project& project, const FrameFacts& facts, const ProjectResult& result);

/// Doubtful places of a result: the one way for the window and the command line.
/// @param series    as series_of_result, or the one that was merged;  @param geometry  of it.
/// @throws as find_snags.   Thread-safe.
std::vector<Snag> snags_of_result(const MergeResult& merge, const Series& series,
                                  const SeriesGeometry& geometry, const MadeFrom& from, const Job& job);

}  // namespace moorhaze
