// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <atomic>
#include <cstdint>
#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "core/work/job.h"
#include "rig/vec3.h"

struct RTCSceneTy;

namespace moorhaze::rig {

struct Ray {
    Vec3 origin, direction;  ///< direction of length 1
};

/// What a ray meets, as a material sees it.
struct SurfacePoint {
    Vec3 place;            ///< world, mm
    Vec3 local;            ///< in the object's own axes, mm
    Vec3 normal;           ///< world, towards the camera, length 1
    float sky = 1;         ///< open part of the sky, 0..1 (baked)
    float key = 1;         ///< part of the key light seen, 0..1 (baked)
    std::uint32_t id = 0;  ///< of the object, for variation
};

/// Light that leaves a point towards the eye, linear, 1 = diffuse white in full light.
/// @param view  from the eye to the point, length 1.
using Material = std::function<Vec3(const SurfacePoint&, Vec3 view)>;

struct Vertex {
    Vec3 place, normal, local;
};

struct Triangle {
    std::uint32_t corner[3];
    std::uint16_t material;
    std::uint16_t object;
};

/// A straight piece of a hair: a cylinder with round ends.
struct HairPiece {
    Vec3 from, to;
    float radius;
    std::uint16_t material;
    std::uint16_t object;
};

/// How a scene is shot unless the caller says otherwise.
struct Shooting {
    bool rail = true;  ///< the whole camera moves; otherwise the lens refocuses
    double focal_length_mm = 100;
    double f_number = 8;
    double sensor_width_mm = 36;
    double nearest_focus_mm = 200;   ///< focus plane of frame 1, from the lens of the first frame
    double farthest_focus_mm = 230;  ///< focus plane of the last frame, in the same axes
    int frames = 24;
    double exposure_s = 0.01;
    int iso = 100;
    double shake_shift_mm = 0;  ///< hand shake, standard deviation, at the subject
    double shake_turn_deg = 0;
    double flicker = 0;  ///< standard deviation of the exposure, in parts
};

/// What can change in a scene between exposures.
struct SceneState {
    double turn_deg = 0;  ///< of the turntable
    double moved = 0;     ///< how far the moving part has gone, 0..1
    bool operator==(const SceneState&) const = default;
};

/// Solid things, lights and backdrop of a simulated set.
struct Scene {
    std::string name, description;
    Shooting shooting;
    std::vector<Vertex> vertices;
    std::vector<Triangle> triangles;
    std::vector<HairPiece> hairs;
    std::vector<Material> materials;
    Vec3 key_direction{0, -1, 0};  ///< towards the key light, length 1
    float key_spread = 0.3f;       ///< its angular radius, rad
    std::function<Vec3(const Ray&)> backdrop;
};

/// The nearest thing that a ray meets.
struct Meeting {
    float distance = 1e30f;
    std::uint32_t primitive = 0xFFFFFFFFu;  ///< triangles first, then hairs
    float u = 0, v = 0;                     ///< place in a triangle
    bool found() const { return primitive != 0xFFFFFFFFu; }
};

struct ReleaseTree {
    void operator()(RTCSceneTy* tree) const;
};

/// A scene ready to be looked at: a tree of boxes over all its pieces (Embree's). Sky and key light are baked
/// into a vertex (cosine-weighted rays, fixed seed) when it is first looked at: most of a scene never is.
/// Looks immutable; thread-safe.
class PreparedScene {
  public:
    explicit PreparedScene(Scene scene);
    PreparedScene(const PreparedScene&) = delete;
    PreparedScene& operator=(const PreparedScene&) = delete;

    const Scene& scene() const { return scene_; }
    Meeting meet(const Ray& ray, float farthest = 1e30f) const;
    bool anything_within(const Ray& ray, float farthest) const;
    /// Light that comes along the ray towards its origin; `distance` receives where it left, 1e30 for the
    /// backdrop.
    Vec3 look(const Ray& ray, float& distance) const;

  private:
    void build();
    struct Light {
        float sky = 1, key = 1;  ///< as SurfacePoint
    };
    Light light_at(std::uint32_t vertex) const;
    std::uint32_t bake(std::uint32_t vertex) const;
    Vec3 shade(const Ray& ray, const Meeting& meeting) const;

    Scene scene_;  ///< the tree looks into its vertices, triangles and hairs
    std::unique_ptr<RTCSceneTy, ReleaseTree> tree_;
    /// Of each vertex the rays that met nothing: sky in the upper half, key in the lower, each plus one; 0:
    /// not counted yet. Two threads that count the same vertex come to the same.
    mutable std::vector<std::atomic<std::uint32_t>> open_rays_;
};

}  // namespace moorhaze::rig
