// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/work/reused_memory.h"

#include <malloc.h>

#include <algorithm>
#include <cstdlib>
#include <mutex>
#include <new>
#include <opencv2/core.hpp>
#include <vector>

namespace moorhaze {
namespace {

constexpr std::size_t kLarge = std::size_t(1) << 20;  // smaller blocks are the library's own business
constexpr std::size_t kAlignment = 64;
constexpr std::size_t kSlack = 16;  // a sixteenth more than was in use at once

/// Hands out the memory of all pictures; keeps large blocks while a scope lives. Thread-safe.
class Shelf : public cv::MatAllocator {
  public:
    static Shelf& get() {
        // Never destroyed: pictures with static lifetime may outlive everything else.
        static Shelf* const shelf = new Shelf;
        return *shelf;
    }

    void open() {
        const std::lock_guard lock(guard_);
        ++scopes_;
    }
    /// @return  whether it was the last scope.
    bool close() {
        const std::lock_guard lock(guard_);
        if (--scopes_ > 0) return false;
        give_back(kept_bytes_);
        most_live_ = live_bytes_;
        return true;
    }
    std::size_t kept_bytes() const {
        const std::lock_guard lock(guard_);
        return kept_bytes_;
    }

    cv::UMatData* allocate(int dims, const int* sizes, int type, void* given, std::size_t* step,
                           cv::AccessFlag, cv::UMatUsageFlags) const override {
        CV_Assert(!given);  // pictures over memory of their own never ask for any
        std::size_t total = CV_ELEM_SIZE(type);
        for (int i = dims - 1; i >= 0; --i) {
            if (step) step[i] = total;
            total *= std::size_t(sizes[i]);
        }
        auto* data = new cv::UMatData(this);
        data->data = data->origdata = static_cast<uchar*>(take(total));
        data->size = total;
        return data;
    }
    bool allocate(cv::UMatData* data, cv::AccessFlag, cv::UMatUsageFlags) const override {
        return data != nullptr;
    }
    void deallocate(cv::UMatData* data) const override {
        if (!data) return;
        put(data->origdata, data->size);
        delete data;
    }

  private:
    struct Block {
        void* memory;
        std::size_t bytes;  ///< as it was taken
    };

    void* take(std::size_t bytes) const {
        if (bytes >= kLarge) {
            const std::lock_guard lock(guard_);
            // The smallest that holds it and wastes less than an eighth.
            auto best = kept_.end();
            for (auto block = kept_.begin(); block != kept_.end(); ++block)
                if (block->bytes >= bytes && block->bytes <= bytes + bytes / 8 &&
                    (best == kept_.end() || block->bytes < best->bytes))
                    best = block;
            if (best != kept_.end()) {
                void* const memory = best->memory;
                lent_.push_back(*best);
                kept_bytes_ -= best->bytes;
                live_bytes_ += best->bytes;
                kept_.erase(best);
                return memory;
            }
            live_bytes_ += bytes;
            most_live_ = std::max(most_live_, live_bytes_);
            // A round of work needs blocks of many sizes in turn; a little more than the most that was in use
            // at once lets the same round go without fresh memory.
            const std::size_t room = most_live_ + most_live_ / kSlack;
            if (live_bytes_ + kept_bytes_ > room) give_back(live_bytes_ + kept_bytes_ - room);
        }
        const std::size_t rounded =
            (std::max<std::size_t>(bytes, 1) + kAlignment - 1) / kAlignment * kAlignment;
        void* const memory = std::aligned_alloc(kAlignment, rounded);
        if (!memory) throw std::bad_alloc();
        return memory;
    }

    void put(void* memory, std::size_t bytes) const {
        if (bytes >= kLarge) {
            const std::lock_guard lock(guard_);
            // A block that was taken from the shelf may be larger than what was asked for.
            const auto lent = std::find_if(lent_.begin(), lent_.end(),
                                           [&](const Block& block) { return block.memory == memory; });
            if (lent != lent_.end()) {
                bytes = lent->bytes;
                lent_.erase(lent);
            }
            live_bytes_ -= std::min(live_bytes_, bytes);
            if (scopes_ > 0) {
                kept_.push_back({memory, bytes});
                kept_bytes_ += bytes;
                return;
            }
        }
        std::free(memory);
    }

    /// Frees kept blocks, the oldest first, until `bytes` are free or none is left. `guard_` is held.
    void give_back(std::size_t bytes) const {
        std::size_t freed = 0, count = 0;
        while (count < kept_.size() && freed < bytes) {
            freed += kept_[count].bytes;
            std::free(kept_[count].memory);
            ++count;
        }
        kept_.erase(kept_.begin(), kept_.begin() + long(count));
        kept_bytes_ -= freed;
    }

    mutable std::mutex guard_;
    int scopes_ = 0;
    mutable std::vector<Block> kept_, lent_;
    mutable std::size_t kept_bytes_ = 0, live_bytes_ = 0, most_live_ = 0;
};

/// Before there are threads that could make pictures at the same time.
[[maybe_unused]] const bool installed = [] {
    cv::Mat::setDefaultAllocator(&Shelf::get());
    return true;
}();

}  // namespace

ReusedMemory::ReusedMemory() {
    Shelf::get().open();
}

ReusedMemory::~ReusedMemory() {
    // Many small blocks that were let go hold pages too.
    if (Shelf::get().close()) malloc_trim(0);
}

std::size_t ReusedMemory::kept_bytes() {
    return Shelf::get().kept_bytes();
}

}  // namespace moorhaze
