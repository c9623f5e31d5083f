// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "rig/noise.h"
#include "rig/scenes.h"
#include "rig/shapes.h"
#include "rig/studio.h"

namespace moorhaze::rig {
namespace {

Vec3 flesh(const SurfacePoint& point, Vec3 view) {
    const Vec3 own = point.local + Vec3{0, float(point.id) * 3.7f, 0};
    const float veins = cloud_noise(own * 2.4f, 3), pores = smooth_noise(own * 8.0f);
    Vec3 albedo = mix({0.36f, 0.10f, 0.06f}, {0.40f, 0.46f, 0.14f}, smooth_step(-0.5f, 0.5f, veins));
    albedo = albedo * (1 + 0.22f * pores);
    return glazed(point, view, albedo, point.normal, 0.3f, 0.7f);
}

Vec3 tentacle(const SurfacePoint& point, Vec3) {
    const float round = 0.4f + 0.6f * std::max(0.0f, dot(point.normal, studio_key()));
    return Vec3{0.62f, 0.09f, 0.08f} * (round * (1 + 0.25f * smooth_noise(point.place * 4.0f)));
}

/// A drop of glue: clear, red below, a hard small highlight.
Vec3 drop(const SurfacePoint& point, Vec3 view) {
    return glazed(point, view, Vec3{0.45f, 0.06f, 0.07f} * (1 + 0.2f * smooth_noise(point.local * 9.0f)),
                  point.normal, 1.6f, 0.1f);
}

Vec3 tufted_moss(const SurfacePoint& point, Vec3 view) {
    const Vec3 p = point.place;
    const float tufts = cloud_noise(p * 0.9f, 4), tips = smooth_noise(p * 5.0f);
    Vec3 albedo = mix({0.12f, 0.16f, 0.05f}, {0.38f, 0.44f, 0.14f}, smooth_step(-0.5f, 0.6f, tufts));
    albedo = mix(albedo, {0.50f, 0.54f, 0.24f}, 0.5f * smooth_step(0.1f, 0.5f, tips));
    return glazed(point, view, albedo, point.normal, 0.1f, 1);
}

}  // namespace

Scene make_sundew(std::uint32_t seed, const SceneState& state) {
    Scene scene;
    scene.shooting = {.rail = false,
                      .focal_length_mm = 60,
                      .f_number = 6.3,
                      .sensor_width_mm = 23.5,
                      .nearest_focus_mm = 134,
                      .farthest_focus_mm = 154,
                      .frames = 24,
                      .exposure_s = 1.0 / 200,
                      .iso = 200,
                      .shake_shift_mm = 0.06,
                      .shake_turn_deg = 0.06,
                      .flicker = 0.02};
    scene.key_direction = studio_key();
    scene.key_spread = 0.25f;
    scene.materials = {flesh, tentacle, drop, tufted_moss};
    std::uint32_t draw = 0;
    auto random = [&](float low, float high) { return low + (high - low) * random_unit(seed + 307, draw++); };
    // Leaves: a stalk that carries a small paddle full of tentacles. The second one is the one that moves.
    struct Leaf {
        float x, foot, z, height, lean_deg, towards;
    };
    const Leaf leaves[] = {{-7.5f, 11, 151, 15, -14, -0.05f}, {1.5f, 11, 138, 12, 10, 0},
                           {8.5f, 11.5f, 146, 16, 18, 0.05f}, {-2.5f, 11, 146, 15.5f, -5, 0},
                           {-11, 11.5f, 141, 8, -22, 0},      {12.5f, 12, 140, 7, 24, 0}};
    std::uint16_t object = 1;
    for (int number = 0; number < 6; ++number) {
        const Leaf& leaf = leaves[number];
        const float swing = number == 1 ? float(state.moved) * 17 : 0;
        const float lean = (leaf.lean_deg + swing) * 0.0174533f;
        std::vector<Vec3> stalk;
        Vec3 place{leaf.x, leaf.foot, leaf.z};
        for (int k = 0; k <= 24; ++k) {
            stalk.push_back(place);
            const float angle = lean * (0.3f + 1.1f * float(k) / 24);
            place = place + Vec3{std::sin(angle), -std::cos(angle), leaf.towards} * (leaf.height / 24);
        }
        const auto own = object++;
        add_hair(scene, stalk, 0.34f, 0.22f, 1, own);
        const Pose paddle{place + Vec3{0, -1.6f, 0}, 58, 0, (leaf.lean_deg + swing) * 1.2f};
        add_lathe(
            scene, paddle,
            rounded({{0, 0.5f}, {1.2f, 0.45f}, {2.1f, 0.15f}, {2.3f, -0.1f}, {1.6f, -0.5f}, {0, -0.75f}}), 90,
            44, 0, own, [](Vec3 p) { return 0.08f * cloud_noise(p * 2.5f, 3); });
        for (int i = 0; i < 54; ++i) {
            const float turn = random(0, 6.2832f), out = 0.5f + 1.8f * std::sqrt(random(0, 1));
            const float rise = 1.5f - 0.5f * out + random(0, 0.5f), spread = 0.55f * out + random(0, 0.5f);
            const Vec3 from =
                paddle.place({out * 0.85f * std::cos(turn), -0.3f, out * 0.85f * std::sin(turn)});
            const Vec3 tip = paddle.place(
                {(out + spread) * std::cos(turn), -0.3f - rise, (out + spread) * std::sin(turn)});
            const Vec3 knee = paddle.place({(out + 0.6f * spread) * std::cos(turn), -0.3f - 0.35f * rise,
                                            (out + 0.6f * spread) * std::sin(turn)});
            add_hair(scene, {from, mix(from, knee, 0.5f), knee, mix(knee, tip, 0.5f), tip}, 0.055f, 0.035f, 1,
                     own);
            const float size = random(0.13f, 0.22f);
            add_lathe(scene, {tip, 0, 0, 0},
                      rounded({{0, size},
                               {size * 0.7f, size * 0.7f},
                               {size, 0},
                               {size * 0.7f, -size * 0.7f},
                               {0, -size}}),
                      16, 12, 2, own, nullptr);
        }
    }
    add_sheet(
        scene,
        [](float u, float v) {
            const float x = -45 + 90 * u, z = 124 + 42 * v, behind = std::max(0.0f, z - 147);
            return Vec3{x,
                        10.4f - 0.02f * (z - 140) + 0.30f * behind +
                            1.0f * cloud_noise({x * 0.2f, 2, z * 0.2f}, 3) +
                            0.25f * smooth_noise({x * 1.7f, 8, z * 1.7f}),
                        z};
        },
        190, 150, 3, object++);
    scene.backdrop = [](const Ray& ray) {
        const float across = ray.direction.x / ray.direction.z, down = ray.direction.y / ray.direction.z;
        const float glow =
            std::exp(-30 * ((across - 0.05f) * (across - 0.05f) + (down + 0.04f) * (down + 0.04f)));
        return mix({0.10f, 0.14f, 0.13f}, {0.34f, 0.40f, 0.34f}, glow);
    };
    return scene;
}

}  // namespace moorhaze::rig
