// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cstddef>

namespace moorhaze {

/// One number of megabytes for the whole program, and what each part may take of it.
struct MemoryShares {
    std::size_t decoded_frames = 0, display_pictures = 0, merge = 0;  ///< bytes
};

/// Merges take six tenths at least. Decoded frames and display pictures take the rest, but never more than
/// serves looking at pictures of 60 megapixels.
MemoryShares shares_of(int megabytes);

/// Half of the machine's memory.
int default_memory_mb();

}  // namespace moorhaze
