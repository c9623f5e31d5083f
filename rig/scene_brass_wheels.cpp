// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "rig/noise.h"
#include "rig/scenes.h"
#include "rig/shapes.h"
#include "rig/studio.h"

namespace moorhaze::rig {
namespace {

struct MetalLook {
    Vec3 tint;
    float turning;   ///< strength of the fine rings that a lathe leaves
    float brushing;  ///< strength of long scratches
    float tarnish;
};

Vec3 metal(const SurfacePoint& point, Vec3 view, const MetalLook& look) {
    const Vec3 own = point.local + Vec3{float(point.id) * 17.3f, float(point.id) * 5.1f, 0};
    const float radius = std::hypot(point.local.x, point.local.y);
    // Fine rings and scratches tilt the normal; a hammered waviness breaks broad reflections.
    const float rings = smooth_noise({radius * 9.0f, float(point.id) * 3.7f, 0.5f}) +
                        0.7f * smooth_noise({radius * 26.0f, float(point.id) * 1.7f, 4.5f});
    const float scratches = cloud_noise({own.x * 1.1f + own.y * 0.4f, own.y * 7.0f, own.z * 7.0f}, 3);
    const Vec3 wave{smooth_noise(own * 0.9f), smooth_noise(own * 0.9f + Vec3{7, 3, 1}), 0};
    const Vec3 outward =
        radius > 1e-4f ? Vec3{point.local.x / radius, point.local.y / radius, 0} : Vec3{1, 0, 0};
    Vec3 normal = point.normal + outward * (0.07f * look.turning * rings) +
                  Vec3{0.4f, 1, 0.2f} * (0.05f * look.brushing * scratches) + wave * 0.03f;
    normal = normalised(normal);
    const Vec3 mirrored = normalised(view - normal * (2 * dot(view, normal)));

    const float tarnish =
        look.tarnish * smooth_step(-0.15f, 0.75f, cloud_noise(own * 0.55f, 4) + 0.9f * (0.75f - point.sky));
    const float speck = smooth_step(0.50f, 0.62f, smooth_noise(own * 3.1f + Vec3{1, 9, 4}));
    const float blur = 0.35f + 0.5f * tarnish;
    const float grazing = std::pow(1 - std::min(1.0f, std::abs(dot(view, normal))), 5.0f);
    const Vec3 reflectance = mix(look.tint, {1, 1, 1}, grazing * 0.6f);
    const float shade = 0.25f + 0.75f * point.sky;
    const Vec3 key = Vec3{1, 0.97f, 0.92f} * (0.30f * point.key * std::max(0.0f, dot(normal, studio_key())));
    const Vec3 polished = reflectance * studio(mirrored, blur) * (shade * (0.45f + 0.55f * point.key));
    const Vec3 dull =
        mix(look.tint * 0.5f, {0.16f, 0.10f, 0.055f}, 0.6f) * (key + Vec3{0.16f, 0.16f, 0.17f} * point.sky);
    const Vec3 worn = look.tint * key;
    Vec3 light = mix(polished * 0.85f + worn, dull * 1.2f,
                     std::min(0.92f, 0.75f * tarnish + 0.25f * speck * look.tarnish));
    // Grain of the metal itself: small, but what focus is judged by on a smooth face.
    light = light * (1 + 0.13f * smooth_noise(own * 7.0f) + 0.10f * smooth_noise(own * 15.0f));
    return light;
}

/// A silvered limb with engraved, blackened degree lines.
Vec3 limb(const SurfacePoint& point, Vec3 view) {
    const float radius = std::hypot(point.local.x, point.local.y);
    const float degrees = std::atan2(point.local.y, point.local.x) * 57.29578f;
    auto line = [&](float every, float from, float to, float width_mm) {
        const float nearest = std::abs(degrees / every - std::round(degrees / every)) * every;
        const float off_mm = nearest * radius / 57.29578f;
        return radius > from && radius < to
                   ? 1 - smooth_step(width_mm * 0.5f, width_mm * 0.5f + 0.03f, off_mm)
                   : 0.0f;
    };
    float ink = line(0.5f, 25.7f, 26.6f, 0.05f);
    ink = std::max(ink, line(1.0f, 25.7f, 27.2f, 0.06f));
    ink = std::max(ink, line(5.0f, 25.7f, 28.3f, 0.08f));
    ink = std::max(ink, 1 - smooth_step(0.03f, 0.06f, std::abs(radius - 25.7f)));
    ink = std::max(ink, 1 - smooth_step(0.03f, 0.06f, std::abs(radius - 29.1f)));
    const Vec3 silver = metal(point, view, {{0.78f, 0.77f, 0.74f}, 0.5f, 0.6f, 0.45f});
    const float wear = smooth_step(-0.4f, 0.3f, cloud_noise(point.local * 1.3f, 3));
    return mix(silver * 0.8f, Vec3{0.012f, 0.011f, 0.010f}, ink * (0.55f + 0.45f * wear));
}

/// Oiled wood under the instrument.
Vec3 wood(const SurfacePoint& point) {
    const Vec3 p = point.place;
    const float rings =
        std::sin(p.y * 2.2f + p.x * 0.25f + 2.2f * cloud_noise({p.x * 0.12f, p.y * 0.5f, p.z * 0.10f}, 3));
    const float pores = smooth_noise({p.x * 1.3f, p.y * 9.0f, p.z * 1.3f});
    Vec3 colour = mix({0.14f, 0.070f, 0.036f}, {0.23f, 0.125f, 0.062f}, 0.5f + 0.5f * rings);
    colour = colour * (1 + 0.22f * pores);
    return colour *
           (Vec3{0.35f, 0.36f, 0.38f} * point.sky +
            Vec3{1.0f, 0.96f, 0.9f} * (0.8f * point.key * std::max(0.0f, dot(point.normal, studio_key()))));
}

}  // namespace

Scene make_brass_wheels(std::uint32_t seed, const SceneState&) {
    Scene scene;
    scene.shooting = {.rail = true,
                      .focal_length_mm = 100,
                      .f_number = 8,
                      .sensor_width_mm = 35.9,
                      .nearest_focus_mm = 225,
                      .farthest_focus_mm = 251,
                      .frames = 24,
                      .exposure_s = 1.0 / 4,
                      .iso = 100,
                      .shake_shift_mm = 0.012,
                      .shake_turn_deg = 0.006,
                      .flicker = 0.012};
    scene.key_direction = studio_key();
    scene.key_spread = 0.30f;
    const MetalLook brass{{0.90f, 0.66f, 0.30f}, 1.0f, 0.5f, 0.75f},
        red_brass{{0.86f, 0.55f, 0.28f}, 0.8f, 0.9f, 1.0f}, pale{{0.92f, 0.76f, 0.44f}, 1.2f, 0.4f, 0.45f},
        steel{{0.55f, 0.57f, 0.60f}, 0.9f, 0.8f, 0.4f};
    scene.materials = {
        [=](const SurfacePoint& p, Vec3 v) { return metal(p, v, brass); },
        [=](const SurfacePoint& p, Vec3 v) { return metal(p, v, red_brass); },
        [=](const SurfacePoint& p, Vec3 v) { return metal(p, v, pale); },
        [=](const SurfacePoint& p, Vec3 v) { return metal(p, v, steel); },
        [](const SurfacePoint& p, Vec3 v) { return limb(p, v); },
        [](const SurfacePoint& p, Vec3) { return wood(p); },
    };
    const float phase = 360 * random_unit(seed, 3);

    // Far plate with pillars, then wheels one before the other, the near limb across the lower left.
    const GearShape great{12.6f, 11.5f, 9.6f, 2.8f, 1.2f, 1.5f, 60, 5};
    const GearShape middle{7.4f, 6.4f, 5.1f, 1.9f, 0.8f, 1.3f, 34, 4};
    const GearShape small{4.4f, 3.5f, 2.6f, 1.3f, 0.5f, 2.2f, 18, 3};
    const GearShape pinion{2.6f, 1.8f, 1.2f, 1.0f, 0.4f, 4.0f, 11, 3};
    add_gear(scene, {{-3.2f, 1.0f, 243.0f}, 4, -5, phase}, great, 0, 1);
    add_gear(scene, {{11.5f, -5.2f, 237.5f}, -5, 8, 12 + phase}, middle, 1, 2);
    add_gear(scene, {{8.6f, 7.2f, 231.5f}, 6, -9, 31}, small, 2, 3);
    add_gear(scene, {{-11.4f, -8.6f, 247.2f}, 5, 6, 8}, middle, 2, 4);
    add_gear(scene, {{-3.2f, 1.0f, 238.6f}, 4, -5, phase}, pinion, 3, 5);
    add_gear(scene, {{17.2f, 6.2f, 249.0f}, 0, -7, 20}, great, 1, 6);
    add_ring(scene, {{-6.5f, 21.5f, 234.0f}, -50, 0, 4}, {24.2f, 29.6f, 1.2f, -150, -15}, 4, 7);

    auto arbor = [&](Vec3 centre, float radius, float length, float tilt_x, float tilt_y,
                     std::uint16_t material, std::uint16_t object) {
        const float r = radius;
        add_lathe(scene, {centre, 90 + tilt_x, tilt_y, 0},
                  {{0, length},
                   {0.55f * r, length},
                   {0.75f * r, length - 0.25f},
                   {0.8f * r, length - 0.9f},
                   {r, length - 1.1f},
                   {r, length - 2.4f},
                   {0.7f * r, length - 2.6f},
                   {0.7f * r, 0}},
                  72, 60, material, object, nullptr);
    };
    arbor({-3.2f, 1.0f, 245.0f}, 1.25f, 9.6f, 4, -5, 3, 8);
    arbor({11.5f, -5.2f, 241.0f}, 0.85f, 6.2f, -5, 8, 3, 9);
    arbor({8.6f, 7.2f, 236.0f}, 0.62f, 7.2f, 6, -9, 3, 10);
    arbor({-11.4f, -8.6f, 250.0f}, 0.8f, 5.0f, 5, 6, 3, 11);

    // A knurled thumb screw at the right, close to the lens.
    const auto knurl = [](Vec3 p) {
        const float angle = std::atan2(p.z, p.x), height = -p.y;
        const float radius = std::hypot(p.x, p.z);
        if (radius < 2.2f || height > 2.6f || height < 0.5f) return 0.0f;
        return 0.09f * std::cos(angle * 44);
    };
    add_lathe(scene, {{16.6f, 10.8f, 232.5f}, 14, 0, 16},
              {{0, 3.1f},
               {1.0f, 3.1f},
               {1.1f, 2.95f},
               {2.2f, 2.9f},
               {2.45f, 2.65f},
               {2.5f, 0.4f},
               {2.2f, 0.2f},
               {1.1f, 0},
               {1.0f, -6}},
              440, 60, 2, 12, knurl);
    // Pillars and the plank behind.
    for (const auto& [x, z, object] :
         {std::tuple{-18.0f, 249.5f, 13}, {4.5f, 252.0f, 14}, {19.5f, 243.0f, 15}})
        add_lathe(scene, {{x, 16.0f, z}, 3, 0, 1},
                  {{0, 34},
                   {0.6f, 34},
                   {0.9f, 33.4f},
                   {0.9f, 32},
                   {1.6f, 31.5f},
                   {1.6f, 30.5f},
                   {0.9f, 30},
                   {0.75f, 24},
                   {1.05f, 14},
                   {1.3f, 6},
                   {1.9f, 5.5f},
                   {1.9f, 4.5f},
                   {1.4f, 4},
                   {1.6f, 0}},
                  64, 150, 0, std::uint16_t(object), nullptr);
    add_sheet(
        scene,
        [](float u, float v) {
            return Vec3{-80 + 160 * u, 17.5f, 205 + 130 * v};
        },
        90, 80, 5, 16);

    scene.backdrop = [](const Ray& ray) {
        const float across = ray.direction.x / ray.direction.z, down = ray.direction.y / ray.direction.z;
        const float glow =
            std::exp(-12.0f * ((across + 0.03f) * (across + 0.03f) + (down + 0.05f) * (down + 0.05f)));
        return mix({0.012f, 0.016f, 0.020f}, {0.085f, 0.105f, 0.115f}, glow);
    };
    return scene;
}

}  // namespace moorhaze::rig
