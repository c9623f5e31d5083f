#pragma once
#include <filesystem>
#include <optional>
#include <string>

#include "core/focus/focus_profile.h"

namespace moorhaze {

/// What was once seen of frames, kept in a folder by the content of their files: a series that is opened
/// again, moved or renamed needs no decoding. Files that are missing, damaged or of another version are as if
/// they were not there. Thread-safe; two programs may share a folder.
class ProfileCache {
  public:
    /// The folder is made when something is put into it.
    explicit ProfileCache(std::filesystem::path folder) : folder_(std::move(folder)) {}

    /// Names a frame by its file's bytes (XXH3, 128 bit) and its development.
    /// @throws FileError when the file cannot be read.
    static std::string key_of(const Frame& frame);

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
