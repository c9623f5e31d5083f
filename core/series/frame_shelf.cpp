// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/series/frame_shelf.h"

#include <algorithm>
#include <chrono>

namespace moorhaze {
namespace {

/// How many frames this thread is decoding: while it waits for the rows of one, it may take up a task that
/// wants another.
thread_local int decoding_here = 0;

Picture decoded(const std::filesystem::path& file, const Development& development, int longest_side_px) {
    struct Counted {
        Counted() { ++decoding_here; }
        ~Counted() { --decoding_here; }
    } const counted;
    return longest_side_px > 0 ? read_preview(file, longest_side_px, development)
                               : read_picture(file, development);
}

std::size_t bytes_of(const Picture& picture) {
    return picture.pixels.total() * picture.pixels.elemSize() +
           picture.alpha.total() * picture.alpha.elemSize() + picture.profile.icc.size();
}

}  // namespace

std::shared_ptr<const Picture> FrameShelf::whole(const std::filesystem::path& file,
                                                 const Development& development, Use use) {
    return get({file, development, 0}, use);
}

std::shared_ptr<const Picture> FrameShelf::small(const std::filesystem::path& file, int longest_side_px,
                                                 const Development& development, Use use) {
    return get({file, development, longest_side_px}, use);
}

std::shared_ptr<const Picture> FrameShelf::get(const Key& key, Use use) {
    std::promise<std::shared_ptr<const Picture>> promise;
    Waiting found;
    const auto is_wanted = [&](const Entry& entry) { return entry.key == key; };
    {
        const std::lock_guard lock(guard_);
        const auto entry = std::find_if(entries_.begin(), entries_.end(), is_wanted);
        if (entry != entries_.end()) {
            if (use == Use::looked_at) entries_.splice(entries_.begin(), entries_, entry);
            found = entry->picture;
        } else {
            entries_.push_front({key, promise.get_future().share(), 0});
        }
    }
    // Who is waited for never waits: two threads that decode a frame each, and want the other's, would for
    // ever.
    using namespace std::chrono_literals;
    if (found.valid() && (decoding_here == 0 || found.wait_for(0s) == std::future_status::ready))
        return found.get();
    if (found.valid())
        return std::make_shared<const Picture>(decoded(key.file, key.development, key.longest_side_px));
    try {
        auto picture =
            std::make_shared<const Picture>(decoded(key.file, key.development, key.longest_side_px));
        promise.set_value(picture);
        const std::lock_guard lock(guard_);
        std::size_t others = 0;
        for (const Entry& entry : entries_) others += entry.bytes;
        const bool has_room = others + bytes_of(*picture) <= budget_bytes_;
        if (use == Use::passed_through && !has_room) {
            entries_.remove_if(is_wanted);
            return picture;
        }
        for (Entry& entry : entries_)
            if (is_wanted(entry)) entry.bytes = bytes_of(*picture);
        drop_oldest();
        return picture;
    } catch (...) {
        promise.set_exception(std::current_exception());
        const std::lock_guard lock(guard_);
        entries_.remove_if(is_wanted);
        throw;
    }
}

void FrameShelf::drop_oldest() {
    std::size_t total = 0;
    for (auto entry = entries_.begin(); entry != entries_.end();) {
        total += entry->bytes;
        // The newest always stays, or a picture above the budget would be decoded again and again.
        if (total > budget_bytes_ && entry != entries_.begin() && entry->bytes > 0) {
            total -= entry->bytes;
            entry = entries_.erase(entry);
        } else {
            ++entry;
        }
    }
}

void FrameShelf::set_budget(std::size_t bytes) {
    const std::lock_guard lock(guard_);
    budget_bytes_ = bytes;
    drop_oldest();
}

void FrameShelf::drop_small() {
    const std::lock_guard lock(guard_);
    // What is being decoded just now is somebody's.
    entries_.remove_if([](const Entry& entry) { return entry.key.longest_side_px > 0 && entry.bytes > 0; });
}

void FrameShelf::clear() {
    const std::lock_guard lock(guard_);
    entries_.clear();
}

std::size_t FrameShelf::bytes() const {
    const std::lock_guard lock(guard_);
    std::size_t total = 0;
    for (const Entry& entry : entries_) total += entry.bytes;
    return total;
}

std::shared_ptr<const Picture> whole_frame(FrameShelf* shelf, const std::filesystem::path& file,
                                           const Development& development) {
    if (shelf) return shelf->whole(file, development, FrameShelf::Use::passed_through);
    return std::make_shared<const Picture>(read_picture(file, development));
}

std::shared_ptr<const Picture> small_frame(FrameShelf* shelf, const std::filesystem::path& file,
                                           int longest_side_px, const Development& development) {
    if (shelf) return shelf->small(file, longest_side_px, development, FrameShelf::Use::passed_through);
    return std::make_shared<const Picture>(read_preview(file, longest_side_px, development));
}

}  // namespace moorhaze
