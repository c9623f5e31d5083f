// SPDX-License-Identifier: GPL-3.0-or-later
#include "rig/shapes.h"

#include <algorithm>
#include <numbers>

namespace moorhaze::rig {
namespace {

constexpr float kTurn = 2 * std::numbers::pi_v<float>;
constexpr float kDegree = kTurn / 360;

/// Joins a grid of vertices that starts at `first` into triangles.
void join_grid(Scene& scene, std::uint32_t first, int columns, int rows, std::uint16_t material,
               std::uint16_t object) {
    for (int row = 0; row + 1 < rows; ++row)
        for (int column = 0; column + 1 < columns; ++column) {
            const auto a = first + std::uint32_t(row * columns + column), b = a + 1;
            const auto c = a + std::uint32_t(columns), d = c + 1;
            scene.triangles.push_back({{a, b, c}, material, object});
            scene.triangles.push_back({{b, d, c}, material, object});
        }
}

struct StripPoint {
    float radius, z;
};

/// A surface between two outlines, each a place for an angle, with one normal per angle.
template <class From, class To, class Normal>
void add_strip(Scene& scene, const Pose& pose, float from_rad, float to_rad, int columns, int rows,
               const From& from, const To& to, const Normal& normal, std::uint16_t material,
               std::uint16_t object) {
    const auto first = std::uint32_t(scene.vertices.size());
    for (int row = 0; row < rows; ++row)
        for (int column = 0; column < columns; ++column) {
            const float angle = from_rad + (to_rad - from_rad) * float(column) / float(columns - 1);
            const StripPoint a = from(angle), b = to(angle);
            const float part = float(row) / float(rows - 1);
            const float radius = a.radius + (b.radius - a.radius) * part, z = a.z + (b.z - a.z) * part;
            const Vec3 local{radius * std::cos(angle), radius * std::sin(angle), z};
            scene.vertices.push_back({pose.place(local), normalised(pose.direction(normal(angle))), local});
        }
    join_grid(scene, first, columns, rows, material, object);
}

}  // namespace

Vec3 Pose::direction(Vec3 p) const {
    const float ax = turn_x_deg * kDegree, ay = turn_y_deg * kDegree, az = turn_z_deg * kDegree;
    const auto about_x = [&] {
        p = {p.x, p.y * std::cos(ax) - p.z * std::sin(ax), p.y * std::sin(ax) + p.z * std::cos(ax)};
    };
    if (!on_turntable) about_x();
    p = {p.x * std::cos(ay) + p.z * std::sin(ay), p.y, -p.x * std::sin(ay) + p.z * std::cos(ay)};
    if (on_turntable) about_x();
    return {p.x * std::cos(az) - p.y * std::sin(az), p.x * std::sin(az) + p.y * std::cos(az), p.z};
}

std::vector<ProfilePoint> rounded(const std::vector<ProfilePoint>& corners) {
    constexpr int kPieces = 8;
    std::vector<ProfilePoint> smooth;
    const int last = int(corners.size()) - 1;
    auto corner = [&](int i) { return corners[std::size_t(std::clamp(i, 0, last))]; };
    for (int i = 0; i < last; ++i)
        for (int piece = 0; piece < kPieces; ++piece) {
            const float t = float(piece) / kPieces, t2 = t * t, t3 = t2 * t;
            auto through = [&](float a, float b, float c, float d) {
                return 0.5f * (2 * b + (c - a) * t + (2 * a - 5 * b + 4 * c - d) * t2 +
                               (3 * b - a - 3 * c + d) * t3);
            };
            const ProfilePoint a = corner(i - 1), b = corner(i), c = corner(i + 1), d = corner(i + 2);
            smooth.push_back({std::max(0.0f, through(a.radius, b.radius, c.radius, d.radius)),
                              through(a.height, b.height, c.height, d.height)});
        }
    smooth.push_back(corners.back());
    return smooth;
}

void add_lathe(Scene& scene, const Pose& pose, const std::vector<ProfilePoint>& profile, int segments,
               int steps, std::uint16_t material, std::uint16_t object,
               const std::function<float(Vec3)>& bump) {
    // Even steps along the profile's length, smoothed corners by the normals of neighbours.
    std::vector<float> reached{0};
    for (std::size_t i = 1; i < profile.size(); ++i)
        reached.push_back(reached.back() + std::hypot(profile[i].radius - profile[i - 1].radius,
                                                      profile[i].height - profile[i - 1].height));
    auto at = [&](float part) {
        const float wanted = part * reached.back();
        const auto above = std::upper_bound(reached.begin() + 1, reached.end() - 1, wanted) - reached.begin();
        const auto i = std::size_t(above);
        const float t = (wanted - reached[i - 1]) / std::max(1e-6f, reached[i] - reached[i - 1]);
        return ProfilePoint{std::lerp(profile[i - 1].radius, profile[i].radius, t),
                            std::lerp(profile[i - 1].height, profile[i].height, t)};
    };
    auto place = [&](float across, float down) {
        const ProfilePoint point = at(down);
        const float angle = across * kTurn;
        Vec3 local{point.radius * std::cos(angle), -point.height, point.radius * std::sin(angle)};
        if (bump) {
            const float more = bump(local);
            local = local + Vec3{std::cos(angle), 0, std::sin(angle)} * more + Vec3{0, -0.6f * more, 0};
        }
        return local;
    };
    const auto first = std::uint32_t(scene.vertices.size());
    for (int row = 0; row <= steps; ++row)
        for (int column = 0; column <= segments; ++column) {
            const float across = float(column) / float(segments), down = float(row) / float(steps);
            const float da = 0.5f / float(segments), dd = 0.5f / float(steps);
            const Vec3 local = place(across, down);
            const Vec3 around = place(across + da, down) - place(across - da, down);
            const Vec3 along =
                place(across, std::min(1.0f, down + dd)) - place(across, std::max(0.0f, down - dd));
            Vec3 normal = cross(along, around);
            normal = dot(normal, normal) > 1e-16f ? normalised(normal) : Vec3{0, -1, 0};
            scene.vertices.push_back({pose.place(local), pose.direction(normal), local});
        }
    join_grid(scene, first, segments + 1, steps + 1, material, object);
}

void add_gear(Scene& scene, const Pose& pose, const GearShape& shape, std::uint16_t material,
              std::uint16_t object) {
    const float bevel = 0.12f;
    const float half = shape.thickness / 2;
    // A tooth: flank up, tip, flank down, root.
    auto outline = [&](float angle) {
        float part = angle / kTurn * float(shape.teeth);
        part -= std::floor(part);
        const float rise = std::min(smooth_step(0.06f, 0.24f, part), 1 - smooth_step(0.52f, 0.70f, part));
        return shape.root_radius + (shape.tip_radius - shape.root_radius) * rise;
    };
    const int fine = shape.teeth * 14 + 1, coarse = 181;
    auto outward = [&](float angle, float sign) {
        const float step = 1e-3f;
        const float r0 = outline(angle - step), r1 = outline(angle + step);
        const Vec3 along{r1 * std::cos(angle + step) - r0 * std::cos(angle - step),
                         r1 * std::sin(angle + step) - r0 * std::sin(angle - step), 0};
        return normalised(Vec3{along.y, -along.x, 0}) * sign;
    };
    const Vec3 front{0, 0, -1}, back{0, 0, 1};
    auto radius_at = [](float radius, float z) { return [=](float) { return StripPoint{radius, z}; }; };
    auto facing = [](Vec3 normal) { return [=](float) { return normal; }; };
    auto edge = [&](float inset, float z) {
        return [&outline, inset, z](float angle) { return StripPoint{outline(angle) - inset, z}; };
    };
    for (const float z : {-half, half}) {
        const Vec3 normal = z < 0 ? front : back;
        add_strip(scene, pose, 0, kTurn, fine, 7, radius_at(shape.rim_radius, z), edge(bevel, z),
                  facing(normal), material, object);
        const float inner_z = z < 0 ? z + bevel : z - bevel;
        add_strip(
            scene, pose, 0, kTurn, fine, 2, edge(bevel, z), edge(0, inner_z),
            [&](float angle) { return outward(angle, 1) + normal; }, material, object);
        add_strip(scene, pose, 0, kTurn, coarse, 6, radius_at(shape.bore_radius, z),
                  radius_at(shape.hub_radius, z), facing(normal), material, object);
    }
    add_strip(
        scene, pose, 0, kTurn, fine, 5, edge(0, -half + bevel), edge(0, half - bevel),
        [&](float angle) { return outward(angle, 1); }, material, object);
    for (const auto& [radius, sign] :
         {std::pair{shape.rim_radius, -1.0f}, {shape.hub_radius, 1.0f}, {shape.bore_radius, -1.0f}})
        add_strip(
            scene, pose, 0, kTurn, coarse, 5, radius_at(radius, -half), radius_at(radius, half),
            [s = sign](float angle) {
                return Vec3{std::cos(angle) * s, std::sin(angle) * s, 0};
            },
            material, object);
    // Spokes taper a little towards the rim.
    for (int spoke = 0; spoke < shape.spokes; ++spoke) {
        const float middle = kTurn * (float(spoke) + 0.3f) / float(shape.spokes);
        const float wide = 0.11f * kTurn / float(std::max(3, shape.spokes)) + 0.05f;
        auto side = [&](float at_hub, float at_rim, float z0, float z1, Vec3 normal) {
            const auto first = std::uint32_t(scene.vertices.size());
            constexpr int rows = 9, columns = 4;
            for (int row = 0; row < rows; ++row)
                for (int column = 0; column < columns; ++column) {
                    const float along = float(row) / (rows - 1), across = float(column) / (columns - 1);
                    const float radius = std::lerp(shape.hub_radius - 0.1f, shape.rim_radius + 0.1f, along);
                    const float width = wide * std::lerp(1.0f, 0.75f, along) * shape.hub_radius * 1.3f;
                    const float offset = width * std::lerp(at_hub, at_rim, across);
                    const Vec3 local{radius * std::cos(middle) - offset * std::sin(middle),
                                     radius * std::sin(middle) + offset * std::cos(middle),
                                     std::lerp(z0, z1, across)};
                    scene.vertices.push_back({pose.place(local), pose.direction(normal), local});
                }
            join_grid(scene, first, columns, rows, material, object);
        };
        const Vec3 sideways{-std::sin(middle), std::cos(middle), 0};
        side(-1, 1, -half, -half, front);
        side(-1, 1, half, half, back);
        side(1, 1, -half, half, sideways);
        side(-1, -1, -half, half, sideways * -1.0f);
    }
}

void add_ring(Scene& scene, const Pose& pose, const RingShape& shape, std::uint16_t material,
              std::uint16_t object) {
    const float half = shape.thickness / 2;
    const float from = shape.from_deg * kDegree, to = shape.to_deg * kDegree;
    const int columns = std::max(8, int((shape.to_deg - shape.from_deg) * 1.2f));
    auto at = [](float radius, float z) { return [=](float) { return StripPoint{radius, z}; }; };
    auto facing = [](Vec3 normal) { return [=](float) { return normal; }; };
    auto radial = [](float sign) {
        return [=](float angle) { return Vec3{std::cos(angle) * sign, std::sin(angle) * sign, 0}; };
    };
    const int rows = std::max(3, int((shape.outer_radius - shape.inner_radius) * 2));
    add_strip(scene, pose, from, to, columns, rows, at(shape.inner_radius, -half),
              at(shape.outer_radius, -half), facing({0, 0, -1}), material, object);
    add_strip(scene, pose, from, to, columns, rows, at(shape.inner_radius, half),
              at(shape.outer_radius, half), facing({0, 0, 1}), material, object);
    add_strip(scene, pose, from, to, columns, 3, at(shape.outer_radius, -half), at(shape.outer_radius, half),
              radial(1), material, object);
    add_strip(scene, pose, from, to, columns, 3, at(shape.inner_radius, -half), at(shape.inner_radius, half),
              radial(-1), material, object);
}

void add_sheet(Scene& scene, const std::function<Vec3(float, float)>& place, int across, int down,
               std::uint16_t material, std::uint16_t object) {
    const auto first = std::uint32_t(scene.vertices.size());
    for (int row = 0; row <= down; ++row)
        for (int column = 0; column <= across; ++column) {
            const float u = float(column) / float(across), v = float(row) / float(down);
            const float du = 0.5f / float(across), dv = 0.5f / float(down);
            const Vec3 here = place(u, v);
            Vec3 normal = cross(place(u + du, v) - place(u - du, v), place(u, v + dv) - place(u, v - dv));
            normal = normalised(normal);
            if (normal.y > 0) normal = normal * -1.0f;
            scene.vertices.push_back({here, normal, here});
        }
    join_grid(scene, first, across + 1, down + 1, material, object);
}

void add_hair(Scene& scene, const std::vector<Vec3>& places, float radius_from, float radius_to,
              std::uint16_t material, std::uint16_t object) {
    for (std::size_t i = 1; i < places.size(); ++i)
        scene.hairs.push_back({places[i - 1], places[i],
                               std::lerp(radius_from, radius_to, float(i) / float(places.size())), material,
                               object});
}

}  // namespace moorhaze::rig
