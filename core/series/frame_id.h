// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <compare>

namespace moorhaze {

/// Names a frame for as long as its series is known, whatever place it stands at. 0 names none yet.
struct FrameId {
    int value = 0;
    auto operator<=>(const FrameId&) const = default;
};

}  // namespace moorhaze
