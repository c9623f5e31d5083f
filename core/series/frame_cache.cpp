// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/series/frame_cache.h"

#include <algorithm>

namespace moorhaze {
namespace {

std::size_t bytes_of(const Picture& picture) {
    return picture.pixels.total() * picture.pixels.elemSize() +
           picture.alpha.total() * picture.alpha.elemSize() + picture.profile.icc.size();
}

}  // namespace

std::shared_ptr<const Picture> FrameCache::get(const std::filesystem::path& file,
                                               const Development& development) {
    std::promise<std::shared_ptr<const Picture>> promise;
    Waiting found;
    const auto is_wanted = [&](const Entry& entry) {
        return entry.file == file && entry.development == development;
    };
    {
        const std::lock_guard lock(guard_);
        const auto entry = std::find_if(entries_.begin(), entries_.end(), is_wanted);
        if (entry != entries_.end()) {
            entries_.splice(entries_.begin(), entries_, entry);
            found = entry->picture;
        } else {
            entries_.push_front({file, development, promise.get_future().share(), 0});
        }
    }
    if (found.valid()) return found.get();
    try {
        auto picture = std::make_shared<const Picture>(read_picture(file, development));
        promise.set_value(picture);
        const std::lock_guard lock(guard_);
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

void FrameCache::drop_oldest() {
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

void FrameCache::set_budget(std::size_t bytes) {
    const std::lock_guard lock(guard_);
    budget_bytes_ = bytes;
    drop_oldest();
}

void FrameCache::clear() {
    const std::lock_guard lock(guard_);
    entries_.clear();
}

std::size_t FrameCache::bytes() const {
    const std::lock_guard lock(guard_);
    std::size_t total = 0;
    for (const Entry& entry : entries_) total += entry.bytes;
    return total;
}

}  // namespace moorhaze
