// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cmath>

namespace moorhaze::rig {

/// A point, direction or linear-light colour. World axes: x right, y down, z away from the camera;
/// millimetres.
struct Vec3 {
    float x = 0, y = 0, z = 0;
};

inline Vec3 operator+(Vec3 a, Vec3 b) {
    return {a.x + b.x, a.y + b.y, a.z + b.z};
}
inline Vec3 operator-(Vec3 a, Vec3 b) {
    return {a.x - b.x, a.y - b.y, a.z - b.z};
}
inline Vec3 operator*(Vec3 a, float s) {
    return {a.x * s, a.y * s, a.z * s};
}
inline Vec3 operator*(float s, Vec3 a) {
    return a * s;
}
inline Vec3 operator*(Vec3 a, Vec3 b) {
    return {a.x * b.x, a.y * b.y, a.z * b.z};
}
inline float dot(Vec3 a, Vec3 b) {
    return a.x * b.x + a.y * b.y + a.z * b.z;
}
inline Vec3 cross(Vec3 a, Vec3 b) {
    return {a.y * b.z - a.z * b.y, a.z * b.x - a.x * b.z, a.x * b.y - a.y * b.x};
}
inline float length(Vec3 a) {
    return std::sqrt(dot(a, a));
}
inline Vec3 normalised(Vec3 a) {
    return a * (1.0f / length(a));
}
inline Vec3 mix(Vec3 a, Vec3 b, float part) {
    return a * (1 - part) + b * part;
}
/// 0 below `low`, 1 above `high`, smooth between.
inline float smooth_step(float low, float high, float value) {
    const float t = std::fmin(std::fmax((value - low) / (high - low), 0.0f), 1.0f);
    return t * t * (3 - 2 * t);
}

}  // namespace moorhaze::rig
