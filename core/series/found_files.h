// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/series/series.h"

/// Private to core/series: from what a person names to frames.
namespace moorhaze {

struct FoundFiles {
    std::vector<std::filesystem::path> files;  ///< by folder, then in natural order of their names
    std::vector<std::string> notes;
};

/// Files as named, pictures of folders; of a folder that holds none, those of the folders in it. Where a raw
/// file and a finished picture bear one name, the raw file is taken. A file number that runs over
/// (9999, 0001) is followed by the clock.
/// @throws FileError for a folder that cannot be read.
FoundFiles find_files(const std::vector<std::filesystem::path>& files_or_folder);

/// Frames of all files that can be read, in the same order, with ids from 1; the others become problems.
/// @throws Cancelled.
std::vector<Frame> read_frames(const std::vector<std::filesystem::path>& files,
                               std::vector<std::string>& problems, std::vector<std::string>& notes,
                               const Job& job);

/// Why there is nothing to open, with the remedy.
std::string nothing_found(const std::vector<std::filesystem::path>& files_or_folder,
                          const std::vector<std::string>& problems);

/// What a series is called: its folder, or the one above where that is "frames".
std::string series_name(const std::filesystem::path& file);

}  // namespace moorhaze
