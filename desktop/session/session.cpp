// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/session.h"

namespace moorhaze::desktop {

void Session::set_memory_mb(int megabytes) {
    memory_mb_ = megabytes;
    const MemoryShares shares = shares_of(megabytes);
    products.frame_cache()->set_budget(shares.decoded_frames);
    store.set_budget(shares.display_pictures);
    merging.set_memory_mb(int(shares.merge >> 20));
    preferences.keep();
}

}  // namespace moorhaze::desktop
