// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <vector>

#include "rig/scene.h"

namespace moorhaze::rig {

/// Where a shape stands: turned about x, then y, then z (degrees), then moved. On a turntable it is turned
/// about y first, and its table leans.
struct Pose {
    Vec3 move;
    float turn_x_deg = 0, turn_y_deg = 0, turn_z_deg = 0;
    bool on_turntable = false;
    Vec3 direction(Vec3 local) const;
    Vec3 place(Vec3 local) const { return direction(local) + move; }
};

struct ProfilePoint {
    float radius, height;
};

/// The same outline through the same points without corners (Catmull & Rom, "A Class of Local Interpolating
/// Splines", 1974).
std::vector<ProfilePoint> rounded(const std::vector<ProfilePoint>& corners);

/// A body turned on a lathe about its own y axis (height counts upwards, so along -y).
/// @param bump  added to the radius at a local place, mm; null for none.
void add_lathe(Scene& scene, const Pose& pose, const std::vector<ProfilePoint>& profile, int segments,
               int steps, std::uint16_t material, std::uint16_t object,
               const std::function<float(Vec3)>& bump);

struct GearShape {
    float tip_radius, root_radius, rim_radius, hub_radius, bore_radius, thickness;
    int teeth, spokes;
};

/// A spur gear in its own x-y plane, front towards -z, with bevelled edges.
void add_gear(Scene& scene, const Pose& pose, const GearShape& shape, std::uint16_t material,
              std::uint16_t object);

/// A flat ring or part of one in its own x-y plane, front towards -z.
struct RingShape {
    float inner_radius, outer_radius, thickness, from_deg, to_deg;
};
void add_ring(Scene& scene, const Pose& pose, const RingShape& shape, std::uint16_t material,
              std::uint16_t object);

/// A bent surface given by its places over the unit square; normals from neighbours.
void add_sheet(Scene& scene, const std::function<Vec3(float, float)>& place, int across, int down,
               std::uint16_t material, std::uint16_t object);

/// A thread through the given places.
void add_hair(Scene& scene, const std::vector<Vec3>& places, float radius_from, float radius_to,
              std::uint16_t material, std::uint16_t object);

}  // namespace moorhaze::rig
