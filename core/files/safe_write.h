// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <functional>

#include "core/work/job.h"

namespace moorhaze {

/// Calls `write` with a new name in the target's folder (same ending), then renames to `target`.
/// A new file can be read by all and written by its owner (0644); one that is replaced keeps its mode.
/// When `write` throws, the temporary file is removed and the target is as it was.
/// @throws FileError if the target exists and `overwrite` is false, is one of the ProtectedFiles, or the
/// folder cannot be written. Both file and folder are flushed before this returns. Thread-safe for different
/// targets.
/// What a process that was killed left behind in the folder goes when the next one writes there.
void write_beside_then_rename(const std::filesystem::path& target, bool overwrite,
                              const std::function<void(const std::filesystem::path&)>& write);

/// The ending of a folder beside a temporary file, for the parts that it is put together from.
inline constexpr const char* kPartsEnding = ".parts";

/// A whole text at once, the same safe way.
void write_text_file(const std::filesystem::path& target, const std::string& text, bool overwrite);

/// Copies a file that is not there yet: flushed to the disc, read again and compared before this returns.
/// @throws FileError naming the file; a copy that is not whole is removed. Cancelled.
void copy_whole_file(const std::filesystem::path& from, const std::filesystem::path& to, const Job& job);

/// Makes the names in a folder last over a power cut. A file system that cannot flush a folder has no more to
/// give.
void flush_folder(const std::filesystem::path& folder);

}  // namespace moorhaze
