// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "rig/noise.h"
#include "rig/scenes.h"
#include "rig/shapes.h"
#include "rig/studio.h"

namespace moorhaze::rig {
namespace {

/// Cream glaze, finely crazed, with painted sprigs of heath round its belly and a blue line above and below.
Vec3 glaze(const SurfacePoint& point, Vec3 view) {
    const Vec3 p = point.local;
    const float turn = std::atan2(p.z, p.x), height = -p.y;
    Vec3 albedo = mix({0.74f, 0.70f, 0.60f}, {0.82f, 0.79f, 0.71f}, 0.5f + 0.5f * cloud_noise(p * 0.6f, 3));
    albedo = albedo * (1 + 0.05f * smooth_noise(p * 5.0f) + 0.04f * smooth_noise(p * 13.0f));
    // Crazing: thin dark lines where a slow noise crosses zero.
    for (const float scale : {0.55f, 0.9f}) {
        const float line = std::abs(smooth_noise(p * scale + Vec3{scale * 31, 4, 9}));
        albedo = mix({0.42f, 0.34f, 0.26f}, albedo, smooth_step(0.006f, 0.020f, line));
    }
    // Eight sprigs: a curved stem, leaves, bells of heather.
    constexpr int kSprigs = 8;
    const float cell = turn / 6.2831853f * kSprigs, own = cell - std::floor(cell) - 0.5f;
    const int sprig = int(std::floor(cell)) & (kSprigs - 1);
    const float across = own * 6.2831853f / kSprigs * 14.0f, up = height - 17.0f;
    const float tilt = 0.5f * random_unit(91, std::uint32_t(sprig)) - 0.25f;
    const float stem = across - tilt * up - 0.4f * std::sin(up * 0.6f);
    auto paint = [&](Vec3 colour, float cover) { albedo = mix(albedo, colour, cover); };
    if (up > -6 && up < 6)
        paint({0.10f, 0.17f, 0.08f}, 0.9f * (1 - smooth_step(0.10f, 0.22f, std::abs(stem))));
    for (int i = 0; i < 11; ++i) {
        const float at = -5.5f + 1.1f * float(i), side = (i & 1) ? 1.0f : -1.0f;
        const float dx = stem - side * 0.85f, dy = up - at;
        const bool bell = i > 4;
        const float size = bell ? 0.62f : 0.45f;
        const float inside = 1 - smooth_step(size * 0.85f, size, std::hypot(dx, dy * (bell ? 0.8f : 1.5f)));
        const float stroke = 0.75f + 0.25f * smooth_noise(p * 4.0f);
        paint(bell ? Vec3{0.40f, 0.13f, 0.34f} * stroke : Vec3{0.14f, 0.24f, 0.09f} * stroke, 0.92f * inside);
    }
    for (const float at : {9.2f, 25.2f})
        paint({0.07f, 0.12f, 0.30f}, 0.9f * (1 - smooth_step(0.28f, 0.42f, std::abs(height - at))));
    const Vec3 wave{smooth_noise(p * 0.7f), smooth_noise(p * 0.7f + Vec3{9, 1, 2}),
                    smooth_noise(p * 0.7f + Vec3{3, 7, 5})};
    return glazed(point, view, albedo, normalised(point.normal + wave * 0.02f), 0.9f, 0.15f);
}

Vec3 brass(const SurfacePoint& point, Vec3 view) {
    const float rings = smooth_noise({point.local.y * 9.0f, 2, 3});
    const Vec3 normal = normalised(point.normal + Vec3{0, 0.08f * rings, 0});
    const Vec3 mirrored = normalised(view - normal * (2 * dot(view, normal)));
    const float grain = 1 + 0.12f * smooth_noise(point.local * 7.0f);
    return Vec3{0.90f, 0.66f, 0.30f} * studio(mirrored, 0.5f) * (grain * (0.3f + 0.7f * point.sky)) +
           Vec3{0.10f, 0.07f, 0.03f} * point.sky;
}

Vec3 slate(const SurfacePoint& point, Vec3 view) {
    const Vec3 p = point.local;
    const float layers = cloud_noise({p.x * 0.5f, p.y, p.z * 0.5f}, 4), chips = smooth_noise(p * 4.0f);
    Vec3 albedo = mix({0.10f, 0.11f, 0.12f}, {0.20f, 0.21f, 0.22f}, smooth_step(-0.6f, 0.6f, layers));
    albedo = albedo * (1 + 0.25f * chips);
    // A white mark on the rim tells the angle.
    const float turn = std::atan2(p.z, p.x), radius = std::hypot(p.x, p.z);
    if (radius > 24 && std::abs(turn) < 0.03f) albedo = {0.7f, 0.7f, 0.68f};
    return glazed(point, view, albedo, point.normal, 0.25f, 0.9f);
}

}  // namespace

Scene make_glazed_knob(std::uint32_t seed, const SceneState& state) {
    Scene scene;
    scene.shooting = {.rail = true,
                      .focal_length_mm = 90,
                      .f_number = 10,
                      .sensor_width_mm = 23.5,
                      .nearest_focus_mm = 318,
                      .farthest_focus_mm = 352,
                      .frames = 20,
                      .exposure_s = 1.0 / 125,
                      .iso = 100,
                      .shake_shift_mm = 0.004,
                      .shake_turn_deg = 0.003,
                      .flicker = 0.008};
    scene.key_direction = studio_key();
    scene.key_spread = 0.30f;
    scene.materials = {[](const SurfacePoint& p, Vec3 v) { return glaze(p, v); },
                       [](const SurfacePoint& p, Vec3 v) { return brass(p, v); },
                       [](const SurfacePoint& p, Vec3 v) { return slate(p, v); }};
    const auto turn = float(state.turn_deg + 360.0 * random_unit(seed, 5));
    const Pose stand{{0, 16, 338}, -4, turn, 0, true};  // the camera looks down on it a little
    add_lathe(scene, stand,
              rounded({{0, 30},
                       {4, 29.8f},
                       {9, 28.3f},
                       {13.2f, 24.5f},
                       {14.6f, 19.5f},
                       {14, 14.5f},
                       {11, 10},
                       {7.4f, 7.2f},
                       {5.4f, 5.6f},
                       {5.2f, 4.6f}}),
              260, 180, 0, 1, nullptr);
    add_lathe(scene, stand,
              {{5.6f, 5},
               {7, 4.7f},
               {7.2f, 4.1f},
               {6.2f, 3.7f},
               {6, 3},
               {8.4f, 2.4f},
               {8.8f, 1.4f},
               {8.6f, 0.4f},
               {8.4f, 0}},
              120, 50, 1, 2, nullptr);
    // A screw beside it, so that the turn is seen from any side.
    add_lathe(scene, {stand.move + stand.direction({17, 0, 3}), -4, turn, 0, true},
              rounded({{0, 3.4f}, {1.6f, 3.3f}, {2.1f, 2.7f}, {2.1f, 2.2f}, {1, 2}, {1, 0}}), 48, 30, 1, 3,
              [](Vec3 p) {
                  return std::hypot(p.x, p.z) < 1.3f && -p.y < 1.9f
                             ? 0.10f * std::sin(-p.y * 14 + std::atan2(p.z, p.x))
                             : 0.0f;
              });
    add_lathe(scene, stand, {{0, 0}, {27, 0}, {28, -0.4f}, {28.2f, -3}, {0, -3.2f}}, 220, 60, 2, 4, nullptr);
    scene.backdrop = [](const Ray& ray) {
        const float down = ray.direction.y / ray.direction.z, across = ray.direction.x / ray.direction.z;
        return mix({0.80f, 0.81f, 0.82f}, {0.50f, 0.51f, 0.53f},
                   smooth_step(-0.04f, 0.16f, down + 0.3f * across * across));
    };
    return scene;
}

}  // namespace moorhaze::rig
