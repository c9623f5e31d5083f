// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "rig/noise.h"
#include "rig/scenes.h"
#include "rig/shapes.h"

namespace moorhaze::rig {
namespace {

const Vec3 kLowSun = normalised(Vec3{-0.5f, -0.7f, -0.35f});

Vec3 lit(const SurfacePoint& point, Vec3 albedo) {
    const float up = 0.5f - 0.5f * point.normal.y;
    const Vec3 sky = mix({0.10f, 0.09f, 0.07f}, {0.40f, 0.45f, 0.52f}, up);
    return albedo * (Vec3{1.15f, 1.05f, 0.88f} * (std::max(0.0f, dot(point.normal, kLowSun)) * point.key) +
                     sky * (0.1f + 0.9f * point.sky));
}

Vec3 peat(const SurfacePoint& point) {
    const Vec3 p = point.place;
    const float crumbs = cloud_noise(p * 1.3f, 4), fibres = smooth_noise({p.x * 9, p.y * 3, p.z * 1.5f});
    Vec3 albedo = mix({0.07f, 0.05f, 0.04f}, {0.22f, 0.16f, 0.11f}, smooth_step(-0.5f, 0.7f, crumbs));
    albedo = mix(albedo, {0.42f, 0.36f, 0.26f}, 0.6f * smooth_step(0.35f, 0.55f, fibres));
    return lit(point, albedo);
}

Vec3 granite(const SurfacePoint& point) {
    const Vec3 own = point.local + Vec3{float(point.id) * 7.7f, 0, float(point.id) * 2.9f};
    const float crystals = smooth_noise(own * 4.5f), mica = smooth_noise(own * 11.0f + Vec3{4, 2, 0});
    Vec3 albedo = mix({0.30f, 0.28f, 0.27f}, {0.66f, 0.62f, 0.58f}, smooth_step(-0.3f, 0.4f, crystals));
    albedo = mix(albedo, {0.08f, 0.08f, 0.09f}, 0.8f * smooth_step(0.28f, 0.36f, mica));
    return lit(point, albedo);
}

Vec3 straw(const SurfacePoint& point) {
    const float bands = smooth_noise(point.place * 2.6f);
    const float round = 0.45f + 0.55f * std::max(0.0f, dot(point.normal, kLowSun));
    return mix({0.58f, 0.46f, 0.26f}, {0.82f, 0.72f, 0.46f}, 0.5f + 0.5f * bands) * round;
}

}  // namespace

Scene make_peat_path(std::uint32_t seed, const SceneState&) {
    Scene scene;
    scene.shooting = {.rail = true,
                      .focal_length_mm = 85,
                      .f_number = 4,
                      .sensor_width_mm = 36,
                      .nearest_focus_mm = 232,
                      .farthest_focus_mm = 322,
                      .frames = 150,
                      .exposure_s = 1.0 / 60,
                      .iso = 100,
                      .shake_shift_mm = 0.008,
                      .shake_turn_deg = 0.004,
                      .flicker = 0.015};
    scene.key_direction = kLowSun;
    scene.key_spread = 0.15f;
    scene.materials = {[](const SurfacePoint& p, Vec3) { return peat(p); },
                       [](const SurfacePoint& p, Vec3) { return granite(p); },
                       [](const SurfacePoint& p, Vec3) { return straw(p); }};
    std::uint32_t draw = 0;
    auto random = [&](float low, float high) { return low + (high - low) * random_unit(seed + 211, draw++); };
    // The path rises away from the lens, so that its whole length fills the picture from bottom to top.
    auto ground = [](float x, float z) {
        return 15.0f - 0.27f * (z - 232) + 0.8f * cloud_noise({x * 0.16f, 1, z * 0.16f}, 3) +
               0.22f * smooth_noise({x * 1.5f, 5, z * 1.5f});
    };
    std::uint16_t object = 1;
    add_sheet(
        scene,
        [&](float u, float v) {
            const float x = -60 + 120 * u, z = 222 + 108 * v;
            return Vec3{x, ground(x, z), z};
        },
        260, 260, 0, object++);
    for (int i = 0; i < 70; ++i) {
        const float z = 234 + 86 * float(i) / 70 + random(-1, 1), x = random(-0.14f, 0.14f) * z;
        const float size = random(0.8f, 3.0f), flat = random(0.5f, 0.85f);
        add_lathe(scene,
                  {{x, ground(x, z) - 0.25f * size, z}, random(-20, 20), random(0, 180), random(-20, 20)},
                  rounded({{0, size * flat},
                           {size * 0.5f, size * flat * 0.9f},
                           {size * 0.9f, size * flat * 0.45f},
                           {size, 0},
                           {size * 0.8f, -size * flat * 0.6f},
                           {0, -size * flat}}),
                  56, 34, 1, object++, [size, i](Vec3 p) {
                      return 0.16f * size * cloud_noise(p * (1.1f / size) + Vec3{float(i) * 3.1f, 0, 0}, 3);
                  });
    }
    // Dry stalks lean over the path, crossing at many depths.
    for (int i = 0; i < 46; ++i) {
        const float z = 236 + 82 * float(i) / 46;
        Vec3 place{random(-0.13f, 0.13f) * z, 0, z};
        place.y = ground(place.x, place.z) + 0.5f;
        float lean = random(-0.8f, 0.8f);
        const float bend = random(-0.05f, 0.05f), towards = random(-0.25f, 0.25f);
        std::vector<Vec3> stalk;
        for (int k = 0; k <= 30; ++k) {
            stalk.push_back(place);
            place = place + Vec3{std::sin(lean), -std::cos(lean), towards} * 0.42f;
            lean += bend;
        }
        add_hair(scene, stalk, random(0.05f, 0.12f), 0.03f, 2, object++);
    }
    scene.backdrop = [](const Ray& ray) {
        return mix({0.50f, 0.55f, 0.60f}, {0.24f, 0.22f, 0.20f},
                   smooth_step(-0.10f, 0.05f, ray.direction.y / ray.direction.z));
    };
    return scene;
}

}  // namespace moorhaze::rig
