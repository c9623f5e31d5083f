// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cstring>

/// Vectors of floats (GCC's vector extension) to and from memory that need not be aligned to them: one
/// instruction, by any compiler.
namespace moorhaze {

template <class Vector>
inline void load_lanes(const float* from, Vector& to) {
    std::memcpy(&to, from, sizeof to);
}

template <class Vector>
inline void store_lanes(const Vector& from, float* to) {
    std::memcpy(to, &from, sizeof from);
}

}  // namespace moorhaze
