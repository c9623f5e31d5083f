// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <map>
#include <set>
#include <string>
#include <vector>

namespace moorhaze {

/// A folder into which a camera's tether, or anyone, puts frames. A file counts once it is completely
/// written: it has not grown between two looks, and its end is there. Not thread-safe.
class WatchedFolder {
  public:
    /// Pictures that are there already are not new.   @throws FileError when the folder cannot be read.
    explicit WatchedFolder(std::filesystem::path folder);

    /// Looks once; call it about twice a second.
    /// @return files that are complete since the last look, in natural order of their names.
    /// @throws FileError when the folder has gone.
    std::vector<std::filesystem::path> look();

    const std::filesystem::path& folder() const { return folder_; }

  private:
    std::filesystem::path folder_;
    std::set<std::string> known_;
    std::map<std::string, std::uintmax_t> growing_;  ///< size at the last look
};

/// True when a JPEG, PNG or TIFF has its end, not only its beginning.   Thread-safe.
bool is_complete_picture(const std::filesystem::path& file);

}  // namespace moorhaze
