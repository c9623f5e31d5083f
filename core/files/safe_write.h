// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <functional>

namespace moorhaze {

/// Calls `write` with a new name in the target's folder (same ending), then renames to `target`.
/// A new file can be read by all and written by its owner (0644); one that is replaced keeps its mode.
/// When `write` throws, the temporary file is removed and the target is as it was.
/// @throws FileError if the target exists and `overwrite` is false, is one of the ProtectedFiles, or the
/// folder cannot be written. Both file and folder are flushed before this returns. Thread-safe for different
/// targets.
void write_beside_then_rename(const std::filesystem::path& target, bool overwrite,
                              const std::function<void(const std::filesystem::path&)>& write);

/// A whole text at once, the same safe way.
void write_text_file(const std::filesystem::path& target, const std::string& text, bool overwrite);

}  // namespace moorhaze
