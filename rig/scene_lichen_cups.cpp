// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "rig/noise.h"
#include "rig/scenes.h"
#include "rig/shapes.h"

namespace moorhaze::rig {
namespace {

const Vec3 kSun = normalised(Vec3{0.55f, -0.72f, -0.42f});

/// Diffuse light that wraps round soft matter and shines through it a little.
Vec3 soft(const SurfacePoint& point, Vec3 albedo, float wrap) {
    const float facing = (dot(point.normal, kSun) + wrap) / (1 + wrap);
    const float up = 0.5f - 0.5f * point.normal.y;
    const Vec3 sky = mix({0.13f, 0.15f, 0.10f}, {0.44f, 0.50f, 0.56f}, up);
    return albedo * (Vec3{1.18f, 1.10f, 0.96f} * (std::max(0.0f, facing) * point.key) +
                     sky * (0.15f + 0.85f * point.sky));
}

/// Powdery grey-green crust, darker where scales lie.
Vec3 lichen(const SurfacePoint& point) {
    const Vec3 own = point.local + Vec3{float(point.id) * 13.7f, 0, float(point.id) * 3.3f};
    const float powder = cloud_noise(own * 5.5f, 4), scales = cloud_noise(own * 1.6f + Vec3{5, 2, 8}, 3);
    Vec3 albedo = mix({0.33f, 0.40f, 0.27f}, {0.60f, 0.66f, 0.50f}, smooth_step(-0.6f, 0.6f, powder));
    albedo = mix(albedo, {0.30f, 0.38f, 0.20f}, 0.7f * smooth_step(0.15f, 0.6f, scales));
    const float grains = smooth_step(0.28f, 0.42f, smooth_noise(own * 11.0f));
    albedo = mix(albedo, {0.78f, 0.82f, 0.68f}, 0.55f * grains);
    return soft(point, albedo, 0.35f);
}

Vec3 fruit(const SurfacePoint& point) {
    const float spots = cloud_noise(point.local * 6.0f + Vec3{float(point.id), 0, 0}, 3);
    const Vec3 albedo = mix({0.40f, 0.045f, 0.025f}, {0.62f, 0.11f, 0.055f}, smooth_step(-0.5f, 0.6f, spots));
    return soft(point, albedo, 0.3f);
}

Vec3 moss(const SurfacePoint& point) {
    const Vec3 p = point.place;
    const float tufts = cloud_noise(p * 0.9f, 4), tips = smooth_noise(p * 5.0f);
    Vec3 albedo = mix({0.10f, 0.13f, 0.04f}, {0.30f, 0.33f, 0.10f}, smooth_step(-0.5f, 0.6f, tufts));
    albedo = mix(albedo, {0.42f, 0.44f, 0.18f}, 0.5f * smooth_step(0.1f, 0.5f, tips));
    return soft(point, albedo, 0.3f);
}

/// A silky thread: bright along its sides to the light, as a cylinder scatters.
Vec3 cotton(const SurfacePoint& point, Vec3 view) {
    const float along_light = dot(point.local, kSun), along_view = dot(point.local, view);
    const float across = std::sqrt(std::max(0.0f, 1 - along_light * along_light));
    const float gloss =
        std::pow(std::max(0.0f, across * std::sqrt(std::max(0.0f, 1 - along_view * along_view)) -
                                    along_light * along_view),
                 7.0f);
    const float body = 0.55f + 0.45f * std::max(0.0f, dot(point.normal, kSun));
    const float mottle = 1 + 0.06f * smooth_noise(point.place * 3.0f);
    return Vec3{0.80f, 0.79f, 0.74f} * (body * mottle * 0.85f) + Vec3{0.26f, 0.26f, 0.25f} * gloss;
}

float bark(Vec3 p) {
    return 0.10f * cloud_noise(p * 2.1f, 4) + 0.05f * smooth_noise(p * 6.5f);
}

}  // namespace

Scene make_lichen_cups(std::uint32_t seed, const SceneState&) {
    Scene scene;
    scene.shooting = {.rail = false,
                      .focal_length_mm = 60,
                      .f_number = 7.1,
                      .sensor_width_mm = 23.5,
                      .nearest_focus_mm = 130.5,
                      .farthest_focus_mm = 155.5,
                      .frames = 24,
                      .exposure_s = 1.0 / 200,
                      .iso = 200,
                      .shake_shift_mm = 0.10,
                      .shake_turn_deg = 0.10,
                      .flicker = 0.025};
    scene.key_direction = kSun;
    scene.key_spread = 0.22f;
    scene.materials = {
        [](const SurfacePoint& p, Vec3) { return lichen(p); },
        [](const SurfacePoint& p, Vec3) { return fruit(p); },
        [](const SurfacePoint& p, Vec3) { return moss(p); },
        [](const SurfacePoint& p, Vec3 v) { return cotton(p, v); },
    };
    std::uint32_t draw = 0;
    auto random = [&](float low, float high) { return low + (high - low) * random_unit(seed + 101, draw++); };

    // Cups: x, foot height, depth, stalk and mouth radius, height.
    struct Cup {
        float x, foot, z, stalk, mouth, height, lean;
    };
    const Cup cups[] = {
        {-6.0f, 12.0f, 139.0f, 0.80f, 3.20f, 10.6f, -4}, {0.7f, 12.5f, 149.0f, 0.75f, 2.30f, 17.6f, 2},
        {5.6f, 12.0f, 142.0f, 0.75f, 2.70f, 12.4f, 4},   {10.4f, 12.5f, 153.0f, 0.70f, 2.00f, 17.2f, 3},
        {-2.6f, 12.5f, 154.0f, 0.60f, 1.65f, 13.4f, -2}, {-11.6f, 13.0f, 151.0f, 0.70f, 2.10f, 16.2f, -5},
        {13.2f, 12.5f, 140.0f, 0.60f, 2.10f, 7.6f, 6}};
    std::uint16_t object = 1;
    for (const Cup& cup : cups) {
        const Pose pose{{cup.x, cup.foot, cup.z}, random(19, 27), 0, cup.lean};
        const float h = cup.height, m = cup.mouth, s = cup.stalk;
        const std::uint16_t own = object++;
        const float shift = float(own) * 9.1f;
        auto bump = [shift](Vec3 p) { return bark(p + Vec3{shift, 0, shift}); };
        add_lathe(scene, pose,
                  {{0.05f, h - 1.25f * m},
                   {0.45f * m, h - 0.95f * m},
                   {0.78f * m, h - 0.45f * m},
                   {0.93f * m, h - 0.06f * m},
                   {0.98f * m, h},
                   {1.05f * m, h - 0.05f * m},
                   {1.02f * m, h - 0.22f * m},
                   {0.84f * m, h - 0.75f * m},
                   {0.55f * m, h - 1.5f * m},
                   {1.15f * s, h - 2.6f * m},
                   {s, h * 0.45f},
                   {1.1f * s, 0},
                   {1.6f * s, -1.5f}},
                  150, 170, 0, own, bump);
        // Red fruits sit on the rim here and there.
        const int fruits = int(random(3, 9));
        for (int i = 0; i < fruits; ++i) {
            const float turn = random(0, 6.2832f), size = random(0.20f, 0.42f) * (0.6f + 0.2f * m);
            const Vec3 seat = pose.place({1.0f * m * std::cos(turn), -h + 0.02f, 1.0f * m * std::sin(turn)});
            add_lathe(scene, {seat, random(-25, 25), 0, random(-25, 25)},
                      {{0.0f, size * 1.2f},
                       {size * 0.55f, size * 1.08f},
                       {size * 0.9f, size * 0.7f},
                       {size, size * 0.25f},
                       {size * 0.8f, -size * 0.3f},
                       {size * 0.3f, -size * 0.8f}},
                      30, 18, 1, object++, [](Vec3 p) { return 0.05f * smooth_noise(p * 5.0f); });
        }
        // Small scales on the stalk.
        for (int i = 0; i < 26; ++i) {
            const float turn = random(0, 6.2832f), up = random(0.05f, 0.75f) * h, size = random(0.10f, 0.28f);
            const float radius = s * 1.02f + std::max(0.0f, (up - (h - 2.6f * m)) / (2.6f * m)) * 0.8f * m;
            const Vec3 seat = pose.place({radius * std::cos(turn), -up, radius * std::sin(turn)});
            add_lathe(
                scene, {seat, random(-40, 40), 0, random(-40, 40)},
                {{0.0f, size * 0.5f}, {size * 0.7f, size * 0.4f}, {size, 0}, {size * 0.5f, -size * 0.4f}}, 14,
                8, 0, object++, [](Vec3 p) { return 0.04f * smooth_noise(p * 9.0f); });
        }
    }
    // A cushion of moss whose far side falls away inside the depth that is shot: what no frame shows sharp is
    // backdrop.
    add_sheet(
        scene,
        [](float u, float v) {
            const float x = -45 + 90 * u, z = 122 + 42 * v, behind = std::max(0.0f, z - 146.5f);
            return Vec3{x,
                        10.6f - 0.02f * (z - 140) + 0.30f * behind +
                            1.1f * cloud_noise({x * 0.22f, 0, z * 0.22f}, 3) +
                            0.25f * smooth_noise({x * 1.7f, 3, z * 1.7f}),
                        z};
        },
        200, 160, 2, object++);

    // Threads of bog cotton: caught on the cups, drifting to the upper right.
    for (int i = 0; i < 64; ++i) {
        const float depth = random(132.5f, 151.0f);
        Vec3 place{random(-13, 11), random(-9.0f, 3.0f), depth};
        const float heading = random(-1.25f, 0.9f), bend = random(-0.09f, 0.09f),
                    rise = random(-0.16f, 0.16f);
        const float wobble = random(0.5f, 1.6f), offset = random(0, 6.28f);
        std::vector<Vec3> thread;
        const int pieces = 44;
        const float step = random(0.13f, 0.24f);
        for (int k = 0; k <= pieces; ++k) {
            thread.push_back(place);
            const float angle =
                heading + bend * float(k) * 0.5f + 0.30f * std::sin(offset + wobble * float(k) * 0.16f);
            place = place + Vec3{std::cos(angle), std::sin(angle),
                                 rise + 0.16f * std::sin(offset * 2 + float(k) * 0.21f)} *
                                step;
        }
        const float radius = random(0.014f, 0.034f);
        add_hair(scene, thread, radius, radius * 0.55f, 3, std::uint16_t(500 + i));
    }

    // Heath far behind: broad soft patches, already as smooth as any lens would make them.
    scene.backdrop = [](const Ray& ray) {
        const Vec3 at{ray.direction.x / ray.direction.z, ray.direction.y / ray.direction.z, 0};
        const float height = smooth_step(-0.08f, 0.10f, at.y);
        Vec3 colour = mix({0.36f, 0.40f, 0.36f}, {0.12f, 0.16f, 0.07f}, height);
        auto patch = [&](float x, float y, float size, Vec3 tint, float strength) {
            const float dx = at.x - x, dy = at.y - y;
            colour = mix(colour, tint, strength * std::exp(-(dx * dx + dy * dy) / (size * size)));
        };
        patch(-0.070f, -0.020f, 0.040f, {0.33f, 0.20f, 0.36f}, 0.75f);
        patch(0.085f, 0.010f, 0.045f, {0.30f, 0.19f, 0.32f}, 0.65f);
        patch(0.015f, -0.060f, 0.050f, {0.55f, 0.57f, 0.50f}, 0.6f);
        patch(-0.020f, 0.035f, 0.035f, {0.25f, 0.30f, 0.10f}, 0.6f);
        patch(0.050f, 0.045f, 0.030f, {0.34f, 0.36f, 0.15f}, 0.5f);
        return colour;
    };
    return scene;
}

}  // namespace moorhaze::rig
