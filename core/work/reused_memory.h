// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cstddef>

namespace moorhaze {

/// While one lives, the memory of large pictures that are let go is kept for the next ones: the system takes
/// longer to hand out fresh pages than most steps take to fill them. Scopes may nest and live in several
/// threads; when the last one ends, what was kept is given back. What is in use and what is kept never exceed
/// the most that was in use at once by more than a sixteenth: before fresh memory is taken, kept memory goes.
class ReusedMemory {
  public:
    ReusedMemory();
    ~ReusedMemory();
    ReusedMemory(const ReusedMemory&) = delete;
    ReusedMemory& operator=(const ReusedMemory&) = delete;

    /// Kept at the moment, of all scopes.
    static std::size_t kept_bytes();
};

}  // namespace moorhaze
