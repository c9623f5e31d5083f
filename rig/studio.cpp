// SPDX-License-Identifier: GPL-3.0-or-later
#include "rig/studio.h"

#include <algorithm>
#include <cmath>

namespace moorhaze::rig {

Vec3 studio_key() {
    return normalised(Vec3{-0.45f, -0.75f, -0.48f});
}

Vec3 studio(Vec3 direction, float blur) {
    const float up = -direction.y;
    Vec3 light = mix({0.030f, 0.028f, 0.030f}, {0.16f, 0.17f, 0.19f}, smooth_step(-0.6f - blur, 0.9f, up));
    const float facing = dot(direction, studio_key());
    light =
        light + Vec3{2.3f, 2.25f, 2.15f} * smooth_step(0.70f - 0.35f * blur, 0.93f + 0.05f * blur, facing);
    const Vec3 card = normalised(Vec3{0.9f, -0.1f, -0.35f});
    light = light + Vec3{0.75f, 0.58f, 0.38f} * smooth_step(0.60f - 0.4f * blur, 0.97f, dot(direction, card));
    const Vec3 strip = normalised(Vec3{-0.9f, 0.25f, -0.3f});
    return light + Vec3{0.30f, 0.36f, 0.45f} * smooth_step(0.75f - 0.4f * blur, 0.98f, dot(direction, strip));
}

Vec3 glazed(const SurfacePoint& point, Vec3 view, Vec3 albedo, Vec3 normal, float gloss, float blur) {
    const Vec3 mirrored = normalised(view - normal * (2 * dot(view, normal)));
    const float grazing = std::pow(1 - std::min(1.0f, std::abs(dot(view, normal))), 5.0f);
    const float up = 0.5f - 0.5f * normal.y;
    const Vec3 sky = mix({0.10f, 0.10f, 0.10f}, {0.40f, 0.41f, 0.43f}, up) * point.sky;
    const Vec3 key =
        Vec3{1.0f, 0.97f, 0.92f} * (0.85f * point.key * std::max(0.0f, dot(normal, studio_key())));
    return albedo * (sky + key) +
           studio(mirrored, blur) * (gloss * (0.05f + 0.95f * grazing) * (0.3f + 0.7f * point.sky));
}

}  // namespace moorhaze::rig
