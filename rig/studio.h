// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "rig/scene.h"

namespace moorhaze::rig {

/// Towards the studio's key light.
Vec3 studio_key();

/// The studio as polished things see it: a large soft box above left, a warm card at the right, a dark room.
/// @param blur  0 for a mirror, 1 for satin.
Vec3 studio(Vec3 direction, float blur);

/// A clear coat over a coloured body: diffuse below, the studio mirrored above (Schlick, "An Inexpensive BRDF
/// Model for Physically-based Rendering", 1994, for its rise at grazing angles).
Vec3 glazed(const SurfacePoint& point, Vec3 view, Vec3 albedo, Vec3 normal, float gloss, float blur);

}  // namespace moorhaze::rig
