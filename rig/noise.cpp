#include "rig/noise.h"

namespace moorhaze::rig {
namespace {

float gradient(std::uint32_t mixed, float x, float y, float z) {
    const std::uint32_t h = mixed & 15;
    const float u = h < 8 ? x : y;
    const float v = h < 4 ? y : (h == 12 || h == 14 ? x : z);
    return ((h & 1) ? -u : u) + ((h & 2) ? -v : v);
}

/// Without the call that std::floor is on processors before SSE4.1.
int floor_of(float value) {
    const int whole = int(value);
    return whole - (value < float(whole));
}

float fade(float t) {
    return t * t * t * (t * (t * 6 - 15) + 10);
}

}  // namespace

std::uint32_t hash(std::uint32_t value) {
    value ^= value >> 16;
    value *= 0x7feb352du;
    value ^= value >> 15;
    value *= 0x846ca68bu;
    value ^= value >> 16;
    return value;
}

float random_unit(std::uint32_t seed, std::uint32_t index) {
    return float(hash(hash(seed) + index * 0x9e3779b9u) >> 8) * (1.0f / 16777216.0f);
}

float smooth_noise(Vec3 place) {
    const int ix = floor_of(place.x), iy = floor_of(place.y), iz = floor_of(place.z);
    const float x = place.x - float(ix), y = place.y - float(iy), z = place.z - float(iz);
    const float u = fade(x), v = fade(y), w = fade(z);
    const std::uint32_t across = std::uint32_t(ix) * 73856093u, down = std::uint32_t(iy) * 19349663u,
                        deep = std::uint32_t(iz) * 83492791u;
    float corner[8];
    for (std::uint32_t i = 0; i < 8; ++i) {
        const std::uint32_t cx = i & 1, cy = (i >> 1) & 1, cz = i >> 2;
        std::uint32_t mixed = (across + cx * 73856093u) ^ (down + cy * 19349663u) ^ (deep + cz * 83492791u);
        mixed = (mixed ^ (mixed >> 15)) * 0x846ca68bu;
        corner[i] = gradient(mixed >> 16, x - float(cx), y - float(cy), z - float(cz));
    }
    auto lerp = [](float a, float b, float t) { return a + t * (b - a); };
    return lerp(lerp(lerp(corner[0], corner[1], u), lerp(corner[2], corner[3], u), v),
                lerp(lerp(corner[4], corner[5], u), lerp(corner[6], corner[7], u), v), w);
}

float cloud_noise(Vec3 place, int octaves) {
    float sum = 0, strength = 1;
    for (int octave = 0; octave < octaves; ++octave) {
        sum += strength * smooth_noise(place);
        place = place * 2.03f + Vec3{11.3f, 5.7f, 3.1f};
        strength *= 0.5f;
    }
    return sum;
}

}  // namespace moorhaze::rig
