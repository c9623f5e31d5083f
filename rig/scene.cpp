// SPDX-License-Identifier: GPL-3.0-or-later
#include "rig/scene.h"

#include <embree3/rtcore.h>

#include <algorithm>
#include <array>
#include <limits>

#include "rig/noise.h"

namespace moorhaze::rig {
namespace {

constexpr unsigned kTriangles = 0, kHairs = 1;
constexpr float kNearest_mm = 1e-3f;
constexpr int kSkyRays = 28, kKeyRays = 14;
constexpr float kSkyReach_mm = 18;  // farther things don't darken the sky: they lie in the same light

/// Two directions square to `axis`.
std::array<Vec3, 2> frame_around(Vec3 axis) {
    const Vec3 helper = std::abs(axis.x) < 0.7f ? Vec3{1, 0, 0} : Vec3{0, 1, 0};
    const Vec3 first = normalised(cross(axis, helper));
    return {first, cross(axis, first)};
}

/// R2 sequence: even coverage of the unit square. Source: M. Roberts, "The Unreasonable Effectiveness of
/// Quasirandom Sequences", 2018 (constants from memory: powers of the plastic number).
std::array<float, 2> even_pair(int index, std::uint32_t seed) {
    auto part = [](double v) { return float(v - std::floor(v)); };
    return {part(0.7548776662466927 * index + random_unit(seed, 1)),
            part(0.5698402909980532 * index + random_unit(seed, 2))};
}

/// Where a ray meets a hair between `nearest` and `farthest`; infinity where it doesn't.
float meet_hair(const HairPiece& hair, const Ray& ray, float nearest, float farthest) {
    constexpr float kNever = std::numeric_limits<float>::infinity();
    // Counted from where the ray passes the hair: from the lens, squares of hundreds of millimetres would
    // drown a radius of hundredths.
    const float passing = dot(hair.from - ray.origin, ray.direction);
    const Vec3 origin = ray.origin + ray.direction * passing;
    const Vec3 axis = hair.to - hair.from, offset = origin - hair.from;
    const float long_mm = length(axis);
    const Vec3 along = axis * (1 / long_mm);
    // Only what lies across the axis decides.
    const float offset_along = dot(offset, along), ray_along = dot(ray.direction, along);
    const Vec3 offset_across = offset - along * offset_along, ray_across = ray.direction - along * ray_along;
    const float a = dot(ray_across, ray_across), b = dot(ray_across, offset_across);
    const float c = dot(offset_across, offset_across) - hair.radius * hair.radius;
    auto within = [&](float from_passing) {
        const float distance = passing + from_passing;
        return distance > nearest && distance < farthest ? distance : kNever;
    };
    const float h = b * b - a * c;
    if (a > 1e-12f && h >= 0) {
        const float t = (-b - std::sqrt(h)) / a;
        const float height = offset_along + t * ray_along;
        if (height > 0 && height < long_mm) return within(t);
    }
    float best = kNever;
    for (const Vec3 end : {hair.from, hair.to}) {
        const Vec3 to = origin - end;
        const float half = dot(to, ray.direction);
        const float root = half * half - dot(to, to) + hair.radius * hair.radius;
        if (root >= 0) best = std::min(best, within(-half - std::sqrt(root)));
    }
    return best;
}

const HairPiece& hair_of(void* hairs, unsigned index) {
    return static_cast<const HairPiece*>(hairs)[index];
}

Ray ray_of(const RTCRay& ray) {
    return {{ray.org_x, ray.org_y, ray.org_z}, {ray.dir_x, ray.dir_y, ray.dir_z}};
}

void hair_bounds(const RTCBoundsFunctionArguments* arguments) {
    const HairPiece& hair = hair_of(arguments->geometryUserPtr, arguments->primID);
    RTCBounds& box = *arguments->bounds_o;
    const float r = hair.radius;
    box.lower_x = std::min(hair.from.x, hair.to.x) - r, box.upper_x = std::max(hair.from.x, hair.to.x) + r;
    box.lower_y = std::min(hair.from.y, hair.to.y) - r, box.upper_y = std::max(hair.from.y, hair.to.y) + r;
    box.lower_z = std::min(hair.from.z, hair.to.z) - r, box.upper_z = std::max(hair.from.z, hair.to.z) + r;
}

void hair_intersect(const RTCIntersectFunctionNArguments* arguments) {
    if (!arguments->valid[0]) return;
    auto& ray = *reinterpret_cast<RTCRayHit*>(arguments->rayhit);  // rays come one by one
    const float distance = meet_hair(hair_of(arguments->geometryUserPtr, arguments->primID), ray_of(ray.ray),
                                     ray.ray.tnear, ray.ray.tfar);
    if (std::isinf(distance)) return;
    ray.ray.tfar = distance;
    ray.hit.u = ray.hit.v = 0;
    ray.hit.geomID = arguments->geomID;
    ray.hit.primID = arguments->primID;
}

void hair_occluded(const RTCOccludedFunctionNArguments* arguments) {
    if (!arguments->valid[0]) return;
    auto& ray = *reinterpret_cast<RTCRay*>(arguments->ray);
    if (!std::isinf(meet_hair(hair_of(arguments->geometryUserPtr, arguments->primID), ray_of(ray), ray.tnear,
                              ray.tfar)))
        ray.tfar = -std::numeric_limits<float>::infinity();
}

RTCRay rtc_ray(const Ray& ray, float farthest) {
    RTCRay own{};
    own.org_x = ray.origin.x, own.org_y = ray.origin.y, own.org_z = ray.origin.z;
    own.dir_x = ray.direction.x, own.dir_y = ray.direction.y, own.dir_z = ray.direction.z;
    own.tnear = kNearest_mm;
    own.tfar = farthest;
    own.mask = ~0u;
    return own;
}

}  // namespace

void ReleaseTree::operator()(RTCSceneTy* tree) const {
    rtcReleaseScene(tree);
}

PreparedScene::PreparedScene(Scene scene) : scene_(std::move(scene)), open_rays_(scene_.vertices.size()) {
    build();
}

void PreparedScene::build() {
    RTCDevice device = rtcNewDevice(nullptr);
    if (!device)
        throw Error("the ray tracing library cannot be started; simulated scenes are not available.");
    tree_.reset(rtcNewScene(device));
    rtcSetSceneFlags(tree_.get(), RTC_SCENE_FLAG_ROBUST);
    auto attach = [&](RTCGeometry geometry, unsigned id) {
        rtcCommitGeometry(geometry);
        rtcAttachGeometryByID(tree_.get(), geometry, id);
        rtcReleaseGeometry(geometry);
    };
    if (!scene_.triangles.empty()) {
        RTCGeometry mesh = rtcNewGeometry(device, RTC_GEOMETRY_TYPE_TRIANGLE);
        rtcSetSharedGeometryBuffer(mesh, RTC_BUFFER_TYPE_VERTEX, 0, RTC_FORMAT_FLOAT3, scene_.vertices.data(),
                                   0, sizeof(Vertex), scene_.vertices.size());
        rtcSetSharedGeometryBuffer(mesh, RTC_BUFFER_TYPE_INDEX, 0, RTC_FORMAT_UINT3, scene_.triangles.data(),
                                   0, sizeof(Triangle), scene_.triangles.size());
        attach(mesh, kTriangles);
    }
    if (!scene_.hairs.empty()) {
        RTCGeometry hairs = rtcNewGeometry(device, RTC_GEOMETRY_TYPE_USER);
        rtcSetGeometryUserPrimitiveCount(hairs, unsigned(scene_.hairs.size()));
        rtcSetGeometryUserData(hairs, scene_.hairs.data());
        rtcSetGeometryBoundsFunction(hairs, hair_bounds, nullptr);
        rtcSetGeometryIntersectFunction(hairs, hair_intersect);
        rtcSetGeometryOccludedFunction(hairs, hair_occluded);
        attach(hairs, kHairs);
    }
    rtcCommitScene(tree_.get());
    rtcReleaseDevice(device);  // the tree keeps it
}

Meeting PreparedScene::meet(const Ray& ray, float farthest) const {
    RTCRayHit own{};
    own.ray = rtc_ray(ray, farthest);
    own.hit.geomID = RTC_INVALID_GEOMETRY_ID;
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    rtcIntersect1(tree_.get(), &context, &own);
    if (own.hit.geomID == RTC_INVALID_GEOMETRY_ID) return {};
    const auto before = own.hit.geomID == kHairs ? std::uint32_t(scene_.triangles.size()) : 0u;
    return {own.ray.tfar, before + own.hit.primID, own.hit.u, own.hit.v};
}

bool PreparedScene::anything_within(const Ray& ray, float farthest) const {
    RTCRay own = rtc_ray(ray, farthest);
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    rtcOccluded1(tree_.get(), &context, &own);
    return own.tfar < 0;
}

PreparedScene::Light PreparedScene::light_at(std::uint32_t vertex) const {
    std::uint32_t open = open_rays_[vertex].load(std::memory_order_relaxed);
    if (open == 0) {
        open = bake(vertex);
        open_rays_[vertex].store(open, std::memory_order_relaxed);
    }
    return {float((open >> 16) - 1) / kSkyRays, float((open & 0xffff) - 1) / kKeyRays};
}

std::uint32_t PreparedScene::bake(std::uint32_t number) const {
    const Vertex& vertex = scene_.vertices[number];
    const auto [key_u, key_v] = frame_around(scene_.key_direction);
    const auto [u, v] = frame_around(vertex.normal);
    const Vec3 origin = vertex.place + vertex.normal * 0.02f;
    std::uint32_t open = 0, lit = 0;
    const auto seed = hash(number + 17u);
    for (int ray = 0; ray < kSkyRays; ++ray) {
        const auto [x, y] = even_pair(ray, seed);
        const float radius = std::sqrt(x), turn = 6.2831853f * y;
        const Vec3 direction = u * (radius * std::cos(turn)) + v * (radius * std::sin(turn)) +
                               vertex.normal * std::sqrt(std::max(0.0f, 1 - x));
        open += !anything_within({origin, normalised(direction)}, kSkyReach_mm);
    }
    for (int ray = 0; ray < kKeyRays; ++ray) {
        const auto [x, y] = even_pair(ray, seed + 1);
        const float radius = std::sqrt(x) * scene_.key_spread, turn = 6.2831853f * y;
        const Vec3 direction =
            scene_.key_direction + key_u * (radius * std::cos(turn)) + key_v * (radius * std::sin(turn));
        lit += !anything_within({origin, normalised(direction)}, 1e4f);
    }
    return (open + 1) << 16 | (lit + 1);
}

Vec3 PreparedScene::shade(const Ray& ray, const Meeting& meeting) const {
    SurfacePoint point;
    point.place = ray.origin + ray.direction * meeting.distance;
    std::uint16_t material = 0;
    if (meeting.primitive < scene_.triangles.size()) {
        const Triangle& triangle = scene_.triangles[meeting.primitive];
        const Vertex& a = scene_.vertices[triangle.corner[0]];
        const Vertex& b = scene_.vertices[triangle.corner[1]];
        const Vertex& c = scene_.vertices[triangle.corner[2]];
        const float wb = meeting.u, wc = meeting.v, wa = 1 - wb - wc;
        point.local = a.local * wa + b.local * wb + c.local * wc;
        point.normal = normalised(a.normal * wa + b.normal * wb + c.normal * wc);
        const Light at_a = light_at(triangle.corner[0]), at_b = light_at(triangle.corner[1]),
                    at_c = light_at(triangle.corner[2]);
        point.sky = at_a.sky * wa + at_b.sky * wb + at_c.sky * wc;
        point.key = at_a.key * wa + at_b.key * wb + at_c.key * wc;
        point.id = triangle.object;
        material = triangle.material;
    } else {
        const HairPiece& hair = scene_.hairs[meeting.primitive - scene_.triangles.size()];
        const Vec3 axis = hair.to - hair.from;
        const float along = std::clamp(dot(point.place - hair.from, axis) / dot(axis, axis), 0.0f, 1.0f);
        point.normal = (point.place - (hair.from + axis * along)) * (1.0f / hair.radius);
        point.local = normalised(axis);
        point.id = hair.object;
        material = hair.material;
    }
    if (dot(point.normal, ray.direction) > 0) point.normal = point.normal * -1.0f;
    return scene_.materials[material](point, ray.direction);
}

Vec3 PreparedScene::look(const Ray& ray, float& distance) const {
    const Meeting meeting = meet(ray);
    distance = meeting.distance;
    return meeting.found() ? shade(ray, meeting) : scene_.backdrop(ray);
}

}  // namespace moorhaze::rig
