// SPDX-License-Identifier: GPL-3.0-or-later
#include "rig/noise.h"

#include "core/work/clones.h"

namespace moorhaze::rig {
namespace {

/// Eight values worked on at once: the corners of a lattice cube.
typedef float Floats __attribute__((vector_size(32)));
typedef std::uint32_t Words __attribute__((vector_size(32)));
typedef std::int32_t Whole __attribute__((vector_size(32)));

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

MOORHAZE_CLONES
float smooth_noise(Vec3 place) {
    constexpr Words kRight = {0, 1, 0, 1, 0, 1, 0, 1}, kDown = {0, 0, 1, 1, 0, 0, 1, 1},
                    kDeep = {0, 0, 0, 0, 1, 1, 1, 1};
    const int ix = floor_of(place.x), iy = floor_of(place.y), iz = floor_of(place.z);
    const float x = place.x - float(ix), y = place.y - float(iy), z = place.z - float(iz);
    Words mixed = ((std::uint32_t(ix) + kRight) * 73856093u) ^ ((std::uint32_t(iy) + kDown) * 19349663u) ^
                  ((std::uint32_t(iz) + kDeep) * 83492791u);
    mixed = (mixed ^ (mixed >> 15)) * 0x846ca68bu;
    const Whole h = (Whole)(mixed >> 16) & 15;  // signed: every processor compares those
    // From the cube's corners, along the middle of one of its edges.
    const Floats from_x = x - __builtin_convertvector(kRight, Floats);
    const Floats from_y = y - __builtin_convertvector(kDown, Floats);
    const Floats from_z = z - __builtin_convertvector(kDeep, Floats);
    const Floats u = h < 8 ? from_x : from_y;
    const Floats v = h < 4 ? from_y : ((h | 2) == 14 ? from_x : from_z);
    const Floats corner = (Floats)((Whole)u ^ (h << 31)) + (Floats)((Whole)v ^ ((h & 2) << 30));
    const float s = fade(x), t = fade(y), w = fade(z);
    auto lerp = [](float a, float b, float part) { return a + part * (b - a); };
    return lerp(lerp(lerp(corner[0], corner[1], s), lerp(corner[2], corner[3], s), t),
                lerp(lerp(corner[4], corner[5], s), lerp(corner[6], corner[7], s), t), w);
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
