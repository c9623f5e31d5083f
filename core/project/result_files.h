// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/merge/merge.h"
#include "core/project/inputs.h"

/// What a project's folder keeps of its results, each written once: results/N.tif (16 bit, with profile and
/// shooting data), N-depth.tif, N-trust.tif, N-source.tif, N-made-by.tif, and N.json, which says how the
/// frames lie; it is written last, so that what it names is whole.
namespace moorhaze {

/// A result with what it takes to work on with it.
struct StoredResult {
    MergeResult result;       ///< without statistics
    SeriesGeometry geometry;  ///< of the frames it was made from, in their order
    ShootingData shooting;    ///< of its reference frame
};

/// @param folder  of the project.
/// @param from    what the result was made from: its frames name those of `geometry`.
/// @return  what could not be put into the picture's file, as write_picture_anyway().
/// @throws FileError, Cancelled.   Thread-safe for different results.
[[nodiscard]] std::string write_result(const std::filesystem::path& folder, ResultId id,
                                       const MergeResult& result, const SeriesGeometry& geometry,
                                       const MadeFrom& from, const ShootingData& shooting, const Job& job);

bool has_result(const std::filesystem::path& folder, ResultId id);

/// Pixels and planes as they were written, bit by bit.
/// @throws FileError when something is missing or damaged, Cancelled.   Thread-safe.
StoredResult read_result(const std::filesystem::path& folder, const ProjectResult& result, const Job& job);

/// Removes the files of all other results.   @return how many results' files went.
int keep_only_results(const std::filesystem::path& folder, const std::vector<ResultId>& wanted);

}  // namespace moorhaze
