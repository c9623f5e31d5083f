// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <optional>
#include <string>

#include "core/focus/focus_profile.h"

namespace moorhaze {

/// Names a file by its bytes (XXH3, 128 bit), so that it is known again wherever it lies: 32 digits.
/// @throws FileError when it cannot be read, Cancelled.   Thread-safe.
std::string content_key_of(const std::filesystem::path& file, const Job& job);
/// The same of bytes at hand.
std::string content_key_of_text(std::string_view bytes);

/// What was once seen of frames, kept in a folder by the content of their files: a series that is opened
/// again, moved or renamed needs no decoding. Files that are missing, damaged or of another version are as if
/// they were not there. Thread-safe; two programs may share a folder.
class ProfileCache {
  public:
    /// The folder is made when something is put into it.
    explicit ProfileCache(std::filesystem::path folder) : folder_(std::move(folder)) {}

    /// Names a look at a frame by its file's bytes and its development.
    /// @param content_key  of its file, from content_key_of().
    static std::string key_of(const std::string& content_key, const Development& development);

    std::optional<FrameLook> find(const std::string& key) const;
    /// A full or read-only disc is no error: the cache is a convenience.
    void put(const std::string& key, const FrameLook& look) const;
    /// Removes what was not used for longest, until at most so many bytes are left.
    void prune(std::uintmax_t most_bytes) const;

    const std::filesystem::path& folder() const { return folder_; }

  private:
    std::filesystem::path folder_;
};

}  // namespace moorhaze
