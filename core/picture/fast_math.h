// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <algorithm>
#include <bit>
#include <cmath>
#include <cstdint>

/// Functions of single numbers for hot rows: without branches or calls, so that the compiler vectorises them.
/// The same on every machine of a kind, whatever the number of threads.
namespace moorhaze {

/// Error below 2e-7 of the value; `exponent` within -126..126.
/// Source of the polynomial: Moshier, Cephes Math Library, exp2f.c, 1989 (its numbers are from memory; the
/// test compares with the C library).
inline float fast_exp2(float exponent) {
    const float held = std::min(std::max(exponent, -126.0f), 126.0f);
    const auto whole = std::int32_t(held + 127.5f) - 127;  // to the nearest: the sum is not below 1
    const float x = held - float(whole);
    const float part =
        1 + x * (6.931472028e-1f +
                 x * (2.402264791e-1f +
                      x * (5.550332471e-2f +
                           x * (9.618437357e-3f + x * (1.339887440e-3f + x * 1.535336188e-4f)))));
    return part * std::bit_cast<float>((whole + 127) << 23);
}

/// Error below 2e-6, of normal values above 0: by the series of the area tangent around the mantissa's
/// middle.
inline float fast_log2(float value) {
    const auto bits = std::bit_cast<std::int32_t>(value);
    // The exponent of the value over sqrt(1/2), so that the mantissa lies around 1.
    const std::int32_t exponent = (bits - 0x3f3504f3) >> 23;
    const float mantissa = std::bit_cast<float>(bits - (exponent << 23));
    const float s = (mantissa - 1) / (mantissa + 1), square = s * s;
    constexpr float kTwoOverLn2 = 2.885390082f;
    return float(exponent) +
           kTwoOverLn2 * s * (1 + square * (1.0f / 3 + square * (1.0f / 5 + square * (1.0f / 7))));
}

/// Cube root of a value >= 0, error below 1e-6 of it: a guess from the exponent, then Newton's steps.
inline float fast_cube_root(float value) {
    const float held = std::max(value, 1e-12f);
    float root = std::bit_cast<float>(std::bit_cast<std::int32_t>(held) / 3 + 0x2a514067);
    for (int i = 0; i < 3; ++i) root = (2 * root + held / (root * root)) * (1.0f / 3);
    return root;
}

/// The direction of (x, y) in degrees, 0..360, error below 0.001.
/// Source: Hastings, "Approximations for Digital Computers", 1955, sheet 11 in a longer form (its numbers are
/// from memory; the test compares with the C library).
inline float fast_direction_deg(float y, float x) {
    const float across = std::abs(x), up = std::abs(y);
    const float most = std::max(std::max(across, up), 1e-20f), t = std::min(across, up) / most, s = t * t;
    float angle =
        t *
        (0.99997726f +
         s * (-0.33262347f + s * (0.19354346f + s * (-0.11643287f + s * (0.05265332f - s * 0.01172120f)))));
    angle = up > across ? 1.57079633f - angle : angle;
    angle = x < 0 ? 3.14159265f - angle : angle;
    angle = y < 0 ? 6.28318531f - angle : angle;
    return angle * 57.2957795f;
}

/// From 0 at `from` to 1 at `to`, level at both ends: 3t^2 - 2t^3.   @param to  not equal to `from`.
inline float smoothstep(float value, float from, float to) {
    const float t = std::min(std::max((value - from) / (to - from), 0.0f), 1.0f);
    return t * t * (3 - 2 * t);
}

}  // namespace moorhaze
