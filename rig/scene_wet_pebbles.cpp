// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "rig/noise.h"
#include "rig/scenes.h"
#include "rig/shapes.h"
#include "rig/studio.h"

namespace moorhaze::rig {
namespace {

/// Almost even colour; only a cloudy drift and a faint vein, under water's gloss.
Vec3 pebble(const SurfacePoint& point, Vec3 view) {
    const std::uint32_t kind = hash(point.id) % 4;
    constexpr Vec3 kTints[] = {
        {0.30f, 0.31f, 0.33f}, {0.48f, 0.40f, 0.33f}, {0.20f, 0.24f, 0.22f}, {0.58f, 0.56f, 0.52f}};
    const Vec3 own = point.local + Vec3{float(point.id) * 5.3f, 0, 0};
    const float drift = smooth_noise(own * 0.22f), vein = std::abs(smooth_noise(own * 0.16f + Vec3{0, 9, 2}));
    Vec3 albedo = kTints[kind] * (1 + 0.18f * drift);
    albedo = mix(albedo * 1.7f, albedo, smooth_step(0.01f, 0.05f, vein));
    return glazed(point, view, albedo, point.normal, 3.0f, 0.2f);
}

Vec3 sand(const SurfacePoint& point, Vec3 view) {
    const Vec3 p = point.place;
    const float grains = smooth_noise(p * 3.2f);
    return glazed(point, view, mix({0.26f, 0.21f, 0.16f}, {0.42f, 0.36f, 0.28f}, 0.5f + 0.5f * grains),
                  point.normal, 0.5f, 0.6f);
}

}  // namespace

Scene make_wet_pebbles(std::uint32_t seed, const SceneState&) {
    Scene scene;
    scene.shooting = {.rail = true,
                      .focal_length_mm = 100,
                      .f_number = 8,
                      .sensor_width_mm = 35.9,
                      .nearest_focus_mm = 246,
                      .farthest_focus_mm = 286,
                      .frames = 26,
                      .exposure_s = 1.0 / 8,
                      .iso = 100,
                      .shake_shift_mm = 0.006,
                      .shake_turn_deg = 0.004,
                      .flicker = 0.01};
    scene.key_direction = studio_key();
    scene.key_spread = 0.3f;
    scene.materials = {pebble, sand};
    std::uint32_t draw = 0;
    auto random = [&](float low, float high) { return low + (high - low) * random_unit(seed + 401, draw++); };
    auto ground = [](float x, float z) {
        return 14.0f - 0.62f * (z - 246) + 0.6f * smooth_noise({x * 0.12f, 0, z * 0.12f}) +
               0.06f * smooth_noise({x * 2, 3, z * 2});
    };
    std::uint16_t object = 1;
    for (int i = 0; i < 24; ++i) {
        const float z = 250 + 32 * float(i) / 24, x = -24 + 48 * float((i * 11) % 24) / 24 + random(-3, 3);
        const float size = random(2.6f, 6.2f), flat = random(0.45f, 0.7f);
        add_lathe(scene,
                  {{x, ground(x, z) - 0.1f * size, z}, random(-14, 14) + 18, random(0, 180), random(-12, 12)},
                  rounded({{0, size * flat},
                           {size * 0.35f, size * flat * 0.95f},
                           {size * 0.7f, size * flat * 0.72f},
                           {size * 0.93f, size * flat * 0.36f},
                           {size, 0},
                           {size * 0.8f, -size * flat * 0.6f},
                           {0, -size * flat}}),
                  120, 80, 0, object++, [size, i](Vec3 p) {
                      return 0.14f * size * smooth_noise(p * (0.8f / size) + Vec3{float(i) * 3.1f, 0, 0});
                  });
    }
    add_sheet(
        scene,
        [&](float u, float v) {
            const float x = -70 + 140 * u, z = 232 + 60 * v;
            return Vec3{x, ground(x, z), z};
        },
        240, 150, 1, object++);
    scene.backdrop = [](const Ray&) { return Vec3{0.08f, 0.09f, 0.10f}; };
    return scene;
}

}  // namespace moorhaze::rig
