// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <utility>
#include <vector>

namespace moorhaze {

/// The originals that are worked on: while this lives, none of them is written, whatever name somebody types,
/// and whatever was said about overwriting. Files are known by device and inode, so that links and other
/// spellings of a path are no way round. Several may protect one file.   Thread-safe.
class ProtectedFiles {
  public:
    ProtectedFiles() = default;
    /// What is not there is left out.
    explicit ProtectedFiles(const std::vector<std::filesystem::path>& files);
    ProtectedFiles(ProtectedFiles&& other) noexcept : ids_(std::exchange(other.ids_, {})) {}
    ProtectedFiles& operator=(ProtectedFiles&& other) noexcept;
    ~ProtectedFiles();

  private:
    std::vector<std::pair<unsigned long, unsigned long>> ids_;
};

/// True for a file that somebody protects just now. Everything that replaces a file asks
/// (write_beside_then_rename).
bool is_protected(const std::filesystem::path& target);

}  // namespace moorhaze
