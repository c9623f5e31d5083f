// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <future>
#include <list>
#include <memory>
#include <mutex>

#include "core/files/picture_file.h"

namespace moorhaze {

/// Decoded pictures, the most recently used ones within a budget of memory. Thread-safe: two callers who want
/// the same file wait for one decoding. A picture that someone still holds lives on after it left the cache.
class FrameCache {
  public:
    explicit FrameCache(std::size_t budget_bytes) : budget_bytes_(budget_bytes) {}

    /// @throws FileError, as read_picture; a failure is not kept, so that a mended file can be tried again.
    std::shared_ptr<const Picture> get(const std::filesystem::path& file,
                                       const Development& development = {});

    void clear();
    /// What lies above it is let go at once.
    void set_budget(std::size_t bytes);
    std::size_t bytes() const;

  private:
    using Waiting = std::shared_future<std::shared_ptr<const Picture>>;
    struct Entry {
        std::filesystem::path file;
        Development development;
        Waiting picture;
        std::size_t bytes = 0;  ///< 0 while it is being decoded
    };
    void drop_oldest();  ///< `guard_` is held

    std::size_t budget_bytes_;
    mutable std::mutex guard_;
    std::list<Entry> entries_;  ///< most recently used first
};

}  // namespace moorhaze
