#pragma once
#include <filesystem>
#include <functional>

namespace moorhaze {

/// Calls `write` with a new name in the target's folder (same ending), then renames to `target`.
/// When `write` throws, the temporary file is removed and the target is as it was.
/// @throws FileError if the target exists and `overwrite` is false, or the folder cannot be written.
void write_beside_then_rename(const std::filesystem::path& target, bool overwrite,
                              const std::function<void(const std::filesystem::path&)>& write);

/// A whole text at once, the same safe way.
void write_text_file(const std::filesystem::path& target, const std::string& text, bool overwrite);

}  // namespace moorhaze
