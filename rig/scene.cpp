#include "rig/scene.h"

#include <algorithm>
#include <array>
#include <numeric>

#include "core/work/for_rows.h"
#include "rig/noise.h"

namespace moorhaze::rig {
namespace {

constexpr int kSkyRays = 28, kKeyRays = 14;
constexpr float kSkyReach_mm = 18;  // farther things don't darken the sky: they lie in the same light

struct Box {
    Vec3 low{1e30f, 1e30f, 1e30f}, high{-1e30f, -1e30f, -1e30f};
    void add(Vec3 p) {
        low = {std::min(low.x, p.x), std::min(low.y, p.y), std::min(low.z, p.z)};
        high = {std::max(high.x, p.x), std::max(high.y, p.y), std::max(high.z, p.z)};
    }
    void add(const Box& other) {
        if (other.low.x > other.high.x) return;  // empty
        add(other.low);
        add(other.high);
    }
    float half_area() const {
        const Vec3 d = high - low;
        return d.x < 0 ? 0 : d.x * d.y + d.y * d.z + d.z * d.x;
    }
};

float axis_of(Vec3 v, int axis) {
    return axis == 0 ? v.x : axis == 1 ? v.y : v.z;
}

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

}  // namespace

PreparedScene::PreparedScene(Scene scene, const Job& job) : scene_(std::move(scene)) {
    build();
    bake(job);
}

void PreparedScene::build() {
    const std::size_t triangle_count = scene_.triangles.size();
    const std::size_t count = triangle_count + scene_.hairs.size();
    std::vector<Box> boxes(count);
    order_.resize(count);
    std::vector<Vec3> centres(count);
    for (std::size_t i = 0; i < count; ++i) {
        if (i < triangle_count) {
            for (const auto corner : scene_.triangles[i].corner) boxes[i].add(scene_.vertices[corner].place);
        } else {
            const HairPiece& hair = scene_.hairs[i - triangle_count];
            const Vec3 around{hair.radius, hair.radius, hair.radius};
            for (const Vec3 end : {hair.from, hair.to}) {
                boxes[i].add(end - around);
                boxes[i].add(end + around);
            }
        }
        centres[i] = (boxes[i].low + boxes[i].high) * 0.5f;
    }
    std::iota(order_.begin(), order_.end(), 0u);

    // Binned surface-area heuristic: Wald, "On fast Construction of SAH-based Bounding Volume Hierarchies",
    // 2007.
    constexpr int kBins = 16;
    struct Task {
        std::uint32_t node, begin, end;
    };
    std::vector<Task> tasks;
    nodes_.clear();
    nodes_.reserve(2 * count + 1);
    nodes_.push_back({});
    tasks.push_back({0, 0, std::uint32_t(count)});
    while (!tasks.empty()) {
        const Task task = tasks.back();
        tasks.pop_back();
        Box all, middle;
        for (auto i = task.begin; i < task.end; ++i) {
            all.add(boxes[order_[i]]);
            middle.add(centres[order_[i]]);
        }
        Node& node = nodes_[task.node];
        node.low[0] = all.low.x, node.low[1] = all.low.y, node.low[2] = all.low.z;
        node.high[0] = all.high.x, node.high[1] = all.high.y, node.high[2] = all.high.z;
        const auto size = task.end - task.begin;
        node.first = task.begin;
        node.count = size;
        if (size <= 2) continue;

        float best_cost = float(size) * all.half_area();
        int best_axis = -1, best_bin = 0;
        for (int axis = 0; axis < 3; ++axis) {
            const float low = axis_of(middle.low, axis), extent = axis_of(middle.high, axis) - low;
            if (extent <= 0) continue;
            std::array<Box, kBins> bin_box;
            std::array<int, kBins> bin_count{};
            for (auto i = task.begin; i < task.end; ++i) {
                const int bin =
                    std::min(kBins - 1, int((axis_of(centres[order_[i]], axis) - low) / extent * kBins));
                bin_box[std::size_t(bin)].add(boxes[order_[i]]);
                ++bin_count[std::size_t(bin)];
            }
            std::array<float, kBins> right_cost{};
            Box right;
            int right_count = 0;
            for (int bin = kBins - 1; bin > 0; --bin) {
                right.add(bin_box[std::size_t(bin)]);
                right_count += bin_count[std::size_t(bin)];
                right_cost[std::size_t(bin)] = right.half_area() * float(right_count);
            }
            Box left;
            int left_count = 0;
            for (int bin = 0; bin + 1 < kBins; ++bin) {
                left.add(bin_box[std::size_t(bin)]);
                left_count += bin_count[std::size_t(bin)];
                if (left_count == 0 || left_count == int(size)) continue;
                const float cost = left.half_area() * float(left_count) + right_cost[std::size_t(bin) + 1] +
                                   0.5f * all.half_area();
                if (cost < best_cost) best_cost = cost, best_axis = axis, best_bin = bin;
            }
        }
        if (best_axis < 0) {
            if (size <= 16) continue;
            best_axis = 0;
            best_bin = -1;
        }
        std::uint32_t split = task.begin + size / 2;
        if (best_bin >= 0) {
            const float low = axis_of(middle.low, best_axis);
            const float extent = axis_of(middle.high, best_axis) - low;
            split = std::uint32_t(
                std::partition(order_.begin() + task.begin, order_.begin() + task.end,
                               [&](std::uint32_t i) {
                                   return std::min(kBins - 1, int((axis_of(centres[i], best_axis) - low) /
                                                                  extent * kBins)) <= best_bin;
                               }) -
                order_.begin());
        }
        const auto child = std::uint32_t(nodes_.size());
        node.first = child;
        node.count = 0;
        nodes_.push_back({});
        nodes_.push_back({});
        tasks.push_back({child, task.begin, split});
        tasks.push_back({child + 1, split, task.end});
    }

    facets_.reserve(count);
    for (const std::uint32_t primitive : order_) {
        Facet facet{{}, {}, {}, primitive};
        if (primitive < triangle_count) {
            const auto& corner = scene_.triangles[primitive].corner;
            facet.corner = scene_.vertices[corner[0]].place;
            facet.side_b = scene_.vertices[corner[1]].place - facet.corner;
            facet.side_c = scene_.vertices[corner[2]].place - facet.corner;
        }
        facets_.push_back(facet);
    }
}

/// Triangles by Möller & Trumbore, "Fast, Minimum Storage Ray/Triangle Intersection", 1997.
void PreparedScene::test(std::uint32_t place, const Ray& ray, Meeting& best) const {
    const Facet& facet = facets_[place];
    const std::uint32_t primitive = facet.primitive;
    if (primitive < scene_.triangles.size()) {
        const Vec3 a = facet.corner, ab = facet.side_b, ac = facet.side_c;
        const Vec3 p = cross(ray.direction, ac);
        const float determinant = dot(ab, p);
        if (std::abs(determinant) < 1e-12f) return;
        const float inverse = 1.0f / determinant;
        const Vec3 s = ray.origin - a;
        const float u = dot(s, p) * inverse;
        if (u < 0 || u > 1) return;
        const Vec3 q = cross(s, ab);
        const float v = dot(ray.direction, q) * inverse;
        if (v < 0 || u + v > 1) return;
        const float distance = dot(ac, q) * inverse;
        if (distance > 1e-3f && distance < best.distance) best = {distance, primitive, u, v};
        return;
    }
    const HairPiece& hair = scene_.hairs[primitive - scene_.triangles.size()];
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
    auto offer = [&](float from_passing) {
        const float distance = passing + from_passing;
        if (distance > 1e-3f && distance < best.distance) best = {distance, primitive, 0, 0};
    };
    const float h = b * b - a * c;
    if (a > 1e-12f && h >= 0) {
        const float t = (-b - std::sqrt(h)) / a;
        const float height = offset_along + t * ray_along;
        if (height > 0 && height < long_mm) {
            offer(t);
            return;
        }
    }
    for (const Vec3 end : {hair.from, hair.to}) {
        const Vec3 to = origin - end;
        const float half = dot(to, ray.direction);
        const float root = half * half - dot(to, to) + hair.radius * hair.radius;
        if (root >= 0) offer(-half - std::sqrt(root));
    }
}

template <bool kAny>
Meeting PreparedScene::trace(const Ray& ray, float farthest) const {
    Meeting best;
    best.distance = farthest;
    const float origin[3] = {ray.origin.x, ray.origin.y, ray.origin.z};
    const float inverse[3] = {1.0f / ray.direction.x, 1.0f / ray.direction.y, 1.0f / ray.direction.z};
    auto entry = [&](const Node& node) {
        float low = 0, high = best.distance;
        for (int axis = 0; axis < 3; ++axis) {
            const float one = (node.low[axis] - origin[axis]) * inverse[axis];
            const float two = (node.high[axis] - origin[axis]) * inverse[axis];
            low = std::max(low, std::min(one, two));
            high = std::min(high, std::max(one, two));
        }
        return low <= high ? low : 1e30f;
    };
    std::uint32_t stack[64];
    int depth = 0;
    if (!order_.empty() && entry(nodes_[0]) < 1e30f) stack[depth++] = 0;
    while (depth > 0) {
        const Node& node = nodes_[stack[--depth]];
        if (node.count > 0) {
            for (std::uint32_t i = 0; i < node.count; ++i) test(node.first + i, ray, best);
            if (kAny && best.found()) return best;
            continue;
        }
        const float left = entry(nodes_[node.first]), right = entry(nodes_[node.first + 1]);
        const std::uint32_t near = left <= right ? node.first : node.first + 1;
        const std::uint32_t far = left <= right ? node.first + 1 : node.first;
        if (std::max(left, right) < best.distance) stack[depth++] = far;
        if (std::min(left, right) < best.distance) stack[depth++] = near;
    }
    return best;
}

Meeting PreparedScene::meet(const Ray& ray, float farthest) const {
    return trace<false>(ray, farthest);
}

bool PreparedScene::anything_within(const Ray& ray, float farthest) const {
    return trace<true>(ray, farthest).found();
}

void PreparedScene::bake(const Job& job) {
    const auto [key_u, key_v] = frame_around(scene_.key_direction);
    constexpr int kChunk = 256;
    const int chunks = int((scene_.vertices.size() + kChunk - 1) / kChunk);
    for_rows(chunks, job, [&](int chunk) {
        const std::size_t end = std::min(scene_.vertices.size(), std::size_t(chunk + 1) * kChunk);
        for (std::size_t i = std::size_t(chunk) * kChunk; i < end; ++i) {
            Vertex& vertex = scene_.vertices[i];
            const auto [u, v] = frame_around(vertex.normal);
            const Vec3 origin = vertex.place + vertex.normal * 0.02f;
            int open = 0, lit = 0;
            const auto seed = hash(std::uint32_t(i) + 17u);
            for (int ray = 0; ray < kSkyRays; ++ray) {
                const auto [a, b] = even_pair(ray, seed);
                const float radius = std::sqrt(a), turn = 6.2831853f * b;
                const Vec3 direction = u * (radius * std::cos(turn)) + v * (radius * std::sin(turn)) +
                                       vertex.normal * std::sqrt(std::max(0.0f, 1 - a));
                open += !anything_within({origin, normalised(direction)}, kSkyReach_mm);
            }
            for (int ray = 0; ray < kKeyRays; ++ray) {
                const auto [a, b] = even_pair(ray, seed + 1);
                const float radius = std::sqrt(a) * scene_.key_spread, turn = 6.2831853f * b;
                const Vec3 direction = scene_.key_direction + key_u * (radius * std::cos(turn)) +
                                       key_v * (radius * std::sin(turn));
                lit += !anything_within({origin, normalised(direction)}, 1e4f);
            }
            vertex.sky = float(open) / kSkyRays;
            vertex.key = float(lit) / kKeyRays;
        }
    });
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
        point.sky = a.sky * wa + b.sky * wb + c.sky * wc;
        point.key = a.key * wa + b.key * wb + c.key * wc;
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
