// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cstddef>

namespace moorhaze {

/// One number of megabytes for the whole program, and what each part may take of it.
struct MemoryShares {
    std::size_t decoded_frames = 0, display_pictures = 0, merge = 0;  ///< bytes
};

/// Merges take six tenths. Display pictures take what serves looking at pictures of 60 megapixels, decoded
/// frames the rest: the more of them stay, the less is decoded again.
MemoryShares shares_of(int megabytes);

/// Half of the machine's memory.
int default_memory_mb();

}  // namespace moorhaze
