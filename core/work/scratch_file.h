// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cstddef>
#include <filesystem>
#include <memory>
#include <opencv2/core.hpp>
#include <vector>

namespace moorhaze {

/// Planes that are looked at now and then, on disc instead of in memory: a file without a name, which is gone
/// with the last of its readers, however the program ends. Its pages come when they are read, and go when
/// memory is short. Immutable; thread-safe.
class ScratchFile {
  public:
    /// Writes the planes and maps them.
    /// @param folder  where there is room; its file system holds the bytes until the end.
    /// @throws FileError when the folder cannot be written or the disc is full.
    ScratchFile(const std::vector<cv::Mat>& planes, const std::filesystem::path& folder);
    ScratchFile(const ScratchFile&) = delete;
    ScratchFile& operator=(const ScratchFile&) = delete;

    /// The planes as they were, read only. Each holds what it looks into: a copy of its header may outlive
    /// this.
    const std::vector<cv::Mat>& planes() const { return planes_; }
    std::size_t bytes() const { return bytes_; }
    /// Nobody looks at them for a while: the memory they take is given back, and read again when it is
    /// touched.
    void rest() const;

  private:
    class Mapping;
    std::shared_ptr<const Mapping> mapping_;
    std::size_t bytes_ = 0;
    std::vector<cv::Mat> planes_;
};

/// Bytes that all scratch files of this program take on the disc now. Thread-safe.
std::size_t scratch_bytes_in_use();

/// Where scratch files go: as TMPDIR says, else /var/tmp, which is on disc where /tmp may be memory.
std::filesystem::path scratch_folder();

}  // namespace moorhaze
