// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cstdint>

#include "rig/vec3.h"

namespace moorhaze::rig {

/// A well-mixed 32-bit hash. Source: the "lowbias32" constants found by search, C. Wellons, "Prospecting for
/// Hash Functions", 2018 (from memory).
std::uint32_t hash(std::uint32_t value);

/// Even 0..1 from two integers.
float random_unit(std::uint32_t seed, std::uint32_t index);

/// Smooth noise on a unit lattice, about -1..1.
/// Source: Perlin, "Improving Noise", SIGGRAPH 2002 (gradients on a cube's edges, quintic fade).
float smooth_noise(Vec3 place);

/// Sum of octaves of smooth noise, each twice as fine and half as strong; about -1..1.
float cloud_noise(Vec3 place, int octaves);

}  // namespace moorhaze::rig
