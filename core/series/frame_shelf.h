// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <future>
#include <list>
#include <memory>
#include <mutex>

#include "core/files/picture_file.h"

namespace moorhaze {

/// Decoded frames within a budget of memory, for everybody who works on a series: whole ones, and small ones
/// as read_preview() gives them. Thread-safe: two callers who want the same wait for one decoding. A picture
/// that someone still holds lives on after it left the shelf. Pixels are the same with and without it.
class FrameShelf {
  public:
    explicit FrameShelf(std::size_t budget_bytes) : budget_bytes_(budget_bytes) {}

    /// What somebody reads a frame for.
    enum class Use {
        looked_at,      ///< it will be wanted again soon: it stays, and what was used longest ago makes room
        passed_through  ///< one of all, gone through from first to last: it stays where there is room, so
                        ///< that of a series that is larger than the budget the same part is there each time
    };

    /// @throws FileError, as read_picture; a failure is not kept, so that a mended file can be tried again.
    std::shared_ptr<const Picture> whole(const std::filesystem::path& file,
                                         const Development& development = {}, Use use = Use::looked_at);
    /// @throws as read_preview.
    std::shared_ptr<const Picture> small(const std::filesystem::path& file, int longest_side_px,
                                         const Development& development, Use use);

    void clear();
    /// The small ones are wanted no longer: whole ones have their room.
    void drop_small();
    /// What lies above it is let go at once.
    void set_budget(std::size_t bytes);
    std::size_t bytes() const;

  private:
    using Waiting = std::shared_future<std::shared_ptr<const Picture>>;
    struct Key {
        std::filesystem::path file;
        Development development;
        int longest_side_px = 0;  ///< 0: whole
        bool operator==(const Key&) const = default;
    };
    struct Entry {
        Key key;
        Waiting picture;
        std::size_t bytes = 0;  ///< 0 while it is being decoded
    };
    std::shared_ptr<const Picture> get(const Key& key, Use use);
    void drop_oldest();  ///< `guard_` is held

    std::size_t budget_bytes_;
    mutable std::mutex guard_;
    std::list<Entry> entries_;  ///< most recently used first
};

/// A frame as its file holds it: from the shelf where there is one.
/// @param shelf  null: it is decoded.   @throws FileError.
std::shared_ptr<const Picture> whole_frame(FrameShelf* shelf, const std::filesystem::path& file,
                                           const Development& development);
/// The same, as read_preview() gives it.
std::shared_ptr<const Picture> small_frame(FrameShelf* shelf, const std::filesystem::path& file,
                                           int longest_side_px, const Development& development);

}  // namespace moorhaze
