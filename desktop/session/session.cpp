// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/session.h"

#include "core/work/decode_budget.h"

namespace moorhaze::desktop {

Session::Session(const std::array<QColor, 256>& depth_colours) : result_look(*this, merging, depth_colours) {}

Session::~Session() {
    jobs.cancel_and_wait();
    exports.cancel_and_wait();
}

void Session::set_memory_mb(int megabytes) {
    memory_mb_ = megabytes;
    decode_budget().set_bytes(std::size_t(std::max(1, megabytes)) << 20);
    const MemoryShares shares = shares_of(megabytes);
    products.frame_shelf()->set_budget(shares.decoded_frames);
    store.set_budget(shares.display_pictures);
    merging.set_memory_mb(int(shares.merge >> 20));
    preferences.keep();
}

}  // namespace moorhaze::desktop
