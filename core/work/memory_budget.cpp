// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/work/memory_budget.h"

#include <unistd.h>

#include <algorithm>

namespace moorhaze {

MemoryShares shares_of(int megabytes) {
    const std::size_t all = std::size_t(std::max(0, megabytes)) << 20;
    MemoryShares shares;
    shares.display_pictures = std::min(all * 25 / 100, std::size_t(1400) << 20);
    shares.decoded_frames = all * 40 / 100 - shares.display_pictures;
    shares.merge = all - shares.decoded_frames - shares.display_pictures;
    return shares;
}

int default_memory_mb() {
    const long pages = sysconf(_SC_PHYS_PAGES), page = sysconf(_SC_PAGE_SIZE);
    return pages > 0 && page > 0 ? int((double(pages) * double(page)) / (2 << 20)) : 4096;
}

}  // namespace moorhaze
