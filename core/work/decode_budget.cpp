// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/work/decode_budget.h"

#include <chrono>

#include "core/work/memory_budget.h"

namespace moorhaze {
namespace {

constexpr auto kLooksUp = std::chrono::milliseconds(50);  // whether it shall stop
thread_local int held_here = 0;                           // shares of this thread

}  // namespace

DecodeBudget::Share::Share(DecodeBudget& budget, std::size_t bytes, const Job& job)
    : budget_(budget), bytes_(bytes) {
    std::unique_lock lock(budget.guard_);
    if (bytes > budget.most_) throw TooLarge{bytes, budget.most_};
    while (held_here == 0 && budget.in_use_ > 0 && budget.in_use_ + bytes > budget.all_) {
        budget.changed_.wait_for(lock, kLooksUp);
        job.checkpoint();
    }
    budget.in_use_ += bytes;
    ++held_here;
}

DecodeBudget::Share::~Share() {
    {
        const std::lock_guard lock(budget_.guard_);
        budget_.in_use_ -= bytes_;
    }
    --held_here;
    budget_.changed_.notify_all();
}

std::size_t DecodeBudget::bytes() const {
    const std::lock_guard lock(guard_);
    return all_;
}

void DecodeBudget::set_bytes(std::size_t bytes) {
    {
        const std::lock_guard lock(guard_);
        all_ = bytes;
    }
    changed_.notify_all();
}

std::size_t DecodeBudget::in_use() const {
    const std::lock_guard lock(guard_);
    return in_use_;
}

DecodeBudget& decode_budget() {
    static const std::size_t all = std::size_t(default_memory_mb()) << 20;
    static DecodeBudget budget(all, all);
    return budget;
}

}  // namespace moorhaze
