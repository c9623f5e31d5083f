// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <condition_variable>
#include <cstddef>
#include <mutex>

#include "core/work/job.h"

namespace moorhaze {

/// How much memory decoding may take at once, all threads together: asked before it is taken, by what a
/// file's header says. Whoever comes while others decode waits for them; what is larger than all of it is
/// decoded alone, and what is larger than the machine can hold is refused. Thread-safe. A thread that holds a
/// share already is never made to wait for another: shares of pictures within pictures, and of tasks that a
/// waiting thread takes up meanwhile, cannot block each other.
class DecodeBudget {
  public:
    /// @param most  that one picture may take.
    DecodeBudget(std::size_t bytes, std::size_t most) : most_(most), all_(bytes) {}
    DecodeBudget(const DecodeBudget&) = delete;
    DecodeBudget& operator=(const DecodeBudget&) = delete;

    /// Holds its bytes for as long as it lives, in the thread that it was made in.
    class Share {
      public:
        /// @throws TooLarge, Cancelled.
        Share(DecodeBudget& budget, std::size_t bytes, const Job& job);
        Share(const Share&) = delete;
        Share& operator=(const Share&) = delete;
        ~Share();

      private:
        DecodeBudget& budget_;
        std::size_t bytes_;
    };
    struct TooLarge {
        std::size_t wanted = 0, most = 0;  ///< bytes
    };

    std::size_t bytes() const;
    void set_bytes(std::size_t bytes);
    std::size_t in_use() const;

  private:
    mutable std::mutex guard_;
    std::condition_variable changed_;
    const std::size_t most_;
    std::size_t all_, in_use_ = 0;
};

/// The program's own: at first what default_memory_mb() gives, which is also the most for one picture.
DecodeBudget& decode_budget();

}  // namespace moorhaze
