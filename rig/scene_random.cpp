// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cmath>
#include <random>

#include "rig/noise.h"
#include "rig/scenes.h"
#include "rig/shapes.h"
#include "rig/studio.h"

namespace moorhaze::rig {
namespace {

constexpr float kFinest = 8;  // per mm: about the pixel of a picture 900 px wide

/// How a thing's skin looks; all of it drawn by the scene's seed.
struct Skin {
    Vec3 dark, bright;
    float scale = 1;     ///< of the coarsest pattern, per mm
    float kept = 0.8f;   ///< strength of a pattern half as large
    float contrast = 1;  ///< 0 even .. 1 strong
    float stripes = 0;   ///< 0 spots .. 1 stripes along one axis
    float gloss = 0.3f, blur = 0.8f;
    float spark = 0, spark_rad = 0.1f;  ///< light of a small lamp, as the skin mirrors it, and its radius

    Vec3 operator()(const SurfacePoint& point, Vec3 view) const {
        const Vec3 own = point.local + Vec3{float(point.id) * 7.7f, float(point.id) * 1.3f, 0};
        const Vec3 stretched{own.x, own.y * (1 - 0.9f * stripes), own.z};
        // Photographs hold about as much in each octave.
        float value = 0, share = 1;
        for (float at = scale; at < kFinest; at *= 2, share *= kept)
            value += share * smooth_noise(stretched * at + Vec3{at, 0, 0});
        value = std::clamp(0.5f + contrast * value, 0.0f, 1.0f);
        const Vec3 light = glazed(point, view, mix(dark, bright, value), point.normal, gloss, blur);
        if (spark <= 0) return light;
        const Vec3 mirrored = normalised(view - point.normal * (2 * dot(view, point.normal)));
        return light + Vec3{1, 0.97f, 0.92f} * (spark * point.key *
                                                smooth_step(std::cos(spark_rad), std::cos(0.7f * spark_rad),
                                                            dot(mirrored, studio_key())));
    }
};

/// What a scene is mostly made of, by its seed, so that neighbouring seeds differ in what is hard about them.
enum class Mostly { mixed, boxes, hairs, balls, thin, wheels };
constexpr int kKinds = 6;

/// Draws all that differs from scene to scene.
class Draw {
  public:
    explicit Draw(std::uint32_t seed) : random_(seed * 2654435761u + 97u) {}

    float within(float low, float high) {
        return low + (high - low) * float(double(random_()) / 4294967296.0);
    }
    /// Evenly on a logarithmic scale.
    float spread(float low, float high) { return low * std::pow(high / low, within(0, 1)); }
    int count(int least, int most) { return least + int(random_() % std::uint32_t(most - least + 1)); }
    bool happens(float share) { return within(0, 1) < share; }

    Skin skin() {
        constexpr Vec3 kTints[] = {{0.46f, 0.40f, 0.30f}, {0.30f, 0.36f, 0.22f}, {0.52f, 0.28f, 0.20f},
                                   {0.36f, 0.36f, 0.40f}, {0.62f, 0.58f, 0.50f}, {0.16f, 0.15f, 0.14f}};
        const Vec3 tint = kTints[count(0, 5)];
        Skin own;
        own.dark = tint * within(0.4f, 0.9f);
        own.bright = tint * within(1.5f, 2.2f);
        own.scale = spread(0.15f, 2);
        own.kept = within(0.6f, 1);
        own.contrast = happens(0.15f) ? within(0.03f, 0.15f) : within(0.3f, 0.9f);
        own.stripes = happens(0.25f) ? within(0.6f, 1) : 0;
        own.gloss = within(0, 0.6f);
        own.blur = within(0.5f, 1);
        return own;
    }
    /// Dark and glossy: the soft box shows as a clipped highlight.
    Skin glossy() {
        Skin own = skin();
        own.dark = own.dark * 0.35f;
        own.bright = own.bright * 0.5f;
        own.gloss = within(1.5f, 4);
        own.blur = within(0.02f, 0.25f);
        own.spark = spread(1.5f, 12);
        own.spark_rad = within(0.04f, 0.2f);
        return own;
    }

  private:
    std::mt19937 random_;
};

/// Everything stands within this depth.
struct Room {
    float near_mm, far_mm, half_width_mm;
    float depth() const { return far_mm - near_mm; }
};

std::uint16_t add_material(Scene& scene, const Skin& skin) {
    scene.materials.push_back([skin](const SurfacePoint& point, Vec3 view) { return skin(point, view); });
    return std::uint16_t(scene.materials.size() - 1);
}

void add_box(Scene& scene, Vec3 at, Vec3 half, float turn_deg, std::uint16_t material, std::uint16_t object) {
    const Pose pose{at, 0, turn_deg, 0};
    const float w = half.x, h = half.y, d = half.z;
    // Front, top and both sides; back and bottom are never seen.
    const Vec3 corners[][3] = {{{-w, -h, -d}, {2 * w, 0, 0}, {0, 2 * h, 0}},
                               {{-w, -h, d}, {2 * w, 0, 0}, {0, 0, -2 * d}},
                               {{-w, -h, d}, {0, 0, -2 * d}, {0, 2 * h, 0}},
                               {{w, -h, -d}, {0, 0, 2 * d}, {0, 2 * h, 0}}};
    for (const auto& [corner, across, down] : corners)
        add_sheet(
            scene,
            [&, corner = corner, across = across, down = down](float u, float v) {
                return pose.place(corner + across * u + down * v);
            },
            12, 12, material, object);
}

void add_ball(Scene& scene, Vec3 at, float radius, std::uint16_t material, std::uint16_t object) {
    std::vector<ProfilePoint> outline;
    constexpr int kPoints = 40;
    for (int i = 0; i <= kPoints; ++i) {
        const float turn = 3.14159265f * float(i) / kPoints;
        outline.push_back({radius * std::sin(turn), radius * std::cos(turn)});
    }
    add_lathe(scene, {at, 0, 0, 0}, outline, 90, 80, material, object, nullptr);
}

/// A blade with a toothed edge, bent along its length.
void add_leaf(Scene& scene, Draw& draw, Vec3 at, float length, std::uint16_t material, std::uint16_t object) {
    const Pose pose{at, draw.within(-50, 20), draw.within(-70, 70), draw.within(-40, 40)};
    const float width = length * draw.within(0.25f, 0.5f), bend = draw.within(0.1f, 0.5f);
    const float teeth = float(draw.count(5, 16)), bite = draw.within(0.05f, 0.25f);
    add_sheet(
        scene,
        [&](float u, float v) {
            const float saw = teeth * v - std::floor(teeth * v);
            // Never of no width at all: its normals would be none.
            const float edge =
                width * std::max(0.03f, std::sin(3.14159265f * (0.08f + 0.92f * v))) * (1 - bite * saw);
            const float across = 2 * u - 1;
            return pose.place(
                {across * edge, -length * v, length * bend * v * v + 0.15f * edge * across * across});
        },
        24, 160, material, object);
}

void add_hairs(Scene& scene, Draw& draw, const Room& room, float px_mm, std::uint16_t material, int hairs,
               std::uint16_t& object) {
    for (int i = 0; i < hairs; ++i) {
        const float radius = 0.5f * draw.spread(0.5f, 6) * px_mm;
        Vec3 place{draw.within(-1, 1) * room.half_width_mm, draw.within(-0.7f, 0.7f) * room.half_width_mm,
                   draw.within(room.near_mm, room.far_mm)};
        Vec3 step{draw.within(-1, 1), draw.within(-1, 1), draw.within(-0.6f, 0.6f)};
        const float length = draw.within(0.3f, 1.3f) * room.half_width_mm;
        std::vector<Vec3> places{place};
        for (int k = 0; k < 14; ++k) {
            step = normalised(step + Vec3{draw.within(-0.25f, 0.25f), draw.within(-0.25f, 0.25f),
                                          draw.within(-0.15f, 0.15f)});
            place = place + step * (length / 14);
            places.push_back(place);
        }
        add_hair(scene, places, radius, radius * draw.within(0.4f, 1), material, object++);
    }
}

}  // namespace

Scene make_random(std::uint32_t seed, const SceneState&) {
    Draw draw(seed);
    Scene scene;
    const auto mostly = Mostly(seed % kKinds);
    const bool rail = draw.happens(0.5f) || mostly == Mostly::balls || mostly == Mostly::wheels,
               by_hand = !rail && (draw.happens(0.5f) || mostly == Mostly::thin);
    const float nearest = draw.within(180, 320), depth = draw.within(18, 46);
    const double focal_length = draw.within(60, 105), sensor_width = draw.happens(0.5f) ? 35.9 : 23.5;
    const int frames = draw.count(9, 24);
    // Blur grows by so much from frame to frame, in px of a picture 900 px wide.
    const double middle = nearest + depth / 2, image = focal_length * middle / (middle - focal_length),
                 step_px = draw.spread(0.8f, 2.5f),
                 f_number = focal_length * image * (depth / (frames - 1)) /
                            (middle * middle * step_px * sensor_width / 900);
    scene.shooting = {.rail = rail,
                      .focal_length_mm = focal_length,
                      .f_number = std::clamp(f_number, 1.0, 16.0),
                      .sensor_width_mm = sensor_width,
                      .nearest_focus_mm = nearest,
                      .farthest_focus_mm = nearest + depth,
                      .frames = frames,
                      .exposure_s = 1.0 / 60,
                      .iso = 100,
                      .shake_shift_mm = by_hand ? 0.15 : 0.004,
                      .shake_turn_deg = by_hand ? 0.12 : 0.003,
                      .flicker = draw.within(0, 0.02f)};
    scene.key_direction = studio_key();
    scene.key_spread = 0.3f;
    const auto image_distance = float(focal_length * nearest / (nearest - focal_length));
    const float half_width =
        float(scene.shooting.sensor_width_mm) / 2 * (nearest + depth / 2) / image_distance;
    const Room room{nearest + 2, nearest + depth - 2, half_width};
    const float px_mm = 2 * half_width / 1500;
    std::uint16_t object = 1;

    const bool on_ground = draw.happens(0.7f) || mostly == Mostly::boxes;
    // It begins below the picture and ends at its upper edge or well below that.
    const float slope = draw.within(0.9f, 1.8f) * half_width / depth, curve = draw.within(-0.004f, 0.004f);
    const float floor = 0.72f * half_width;
    auto ground = [&](float x, float z) {
        const float from = z - room.near_mm;
        return floor - slope * from + curve * x * x +
               0.03f * half_width * smooth_noise({x * 0.1f, float(seed % 97), z * 0.1f});
    };
    if (on_ground) {
        const std::uint16_t skin = add_material(scene, draw.skin());
        add_sheet(
            scene,
            [&](float u, float v) {
                const float x = half_width * (3 * u - 1.5f) * 1.6f,
                            z = room.near_mm - 6 + (room.depth() + 6) * v;
                return Vec3{x, ground(x, z), z};
            },
            260, 220, skin, object++);
    }
    /// Somewhere in the room, upon the ground where there is one.
    auto somewhere = [&](float size) {
        Vec3 at{draw.within(-0.85f, 0.85f) * half_width, draw.within(-0.5f, 0.5f) * half_width,
                draw.within(room.near_mm + size, std::max(room.near_mm + size + 1, room.far_mm - size))};
        if (on_ground) at.y = ground(at.x, at.z) - 0.8f * size;
        return at;
    };
    const int things = mostly == Mostly::hairs ? draw.count(1, 3) : draw.count(4, 12);
    for (int i = 0; i < things; ++i) {
        const float size = half_width * draw.spread(0.07f, 0.28f);
        const int any = draw.count(0, 4), kind = mostly == Mostly::boxes    ? 0
                                                 : mostly == Mostly::balls  ? 1
                                                 : mostly == Mostly::thin   ? 4
                                                 : mostly == Mostly::wheels ? 3 + any % 2
                                                                            : any;
        const std::uint16_t skin = add_material(scene, kind == 1 ? draw.glossy() : draw.skin());
        if (kind == 0)
            add_box(scene, somewhere(size),
                    {size, size * draw.within(0.4f, 1.2f), size * draw.within(0.4f, 1)}, draw.within(-40, 40),
                    skin, object++);
        else if (kind == 1 || kind == 2)
            add_ball(scene, somewhere(size), size, skin, object++);
        else if (kind == 3)
            add_gear(scene, {somewhere(size), draw.within(-40, 40), draw.within(-50, 50), draw.within(0, 90)},
                     {size, size * 0.86f, size * 0.7f, size * 0.25f, size * 0.1f, size * 0.15f,
                      draw.count(12, 40), draw.count(3, 6)},
                     skin, object++);
        else
            for (int leaf = 0; leaf < 3; ++leaf)
                add_leaf(scene, draw, somewhere(size), 2 * size, skin, object++);
    }
    const bool only_hairs = mostly == Mostly::hairs;
    if (draw.happens(0.6f) || only_hairs || mostly == Mostly::thin) {
        Skin hair = draw.skin();
        if (draw.happens(0.5f)) hair.dark = hair.bright = {0.75f, 0.73f, 0.70f};
        add_hairs(scene, draw, room, px_mm, add_material(scene, hair),
                  only_hairs ? draw.count(40, 90) : draw.count(6, 40), object);
    }
    const Vec3 above = Vec3{1, 1, 1} * draw.within(0.05f, 0.7f), below = above * draw.within(0.4f, 1);
    scene.backdrop = [above, below](const Ray& ray) {
        return mix(above, below, smooth_step(-0.15f, 0.15f, ray.direction.y / ray.direction.z));
    };
    return scene;
}

}  // namespace moorhaze::rig
