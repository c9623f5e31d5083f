// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/picture/fast_math.h"

#include <catch2/catch.hpp>
#include <numbers>

using namespace moorhaze;

TEST_CASE("fast powers, logarithms, roots and directions are those of the C library", "[picture]") {
    for (int i = -2000; i <= 2000; ++i) {
        const double exponent = i / 100.0;
        CHECK(fast_exp2(float(exponent)) == Approx(std::exp2(double(float(exponent)))).epsilon(4e-7));
        const auto value = float(std::exp2(exponent));
        CHECK(fast_log2(value) == Approx(std::log2(double(value))).margin(2e-6));
        if (exponent <= 2 && exponent > -12)
            CHECK(fast_cube_root(value) == Approx(std::cbrt(double(value))).epsilon(1e-6));
        const double angle = i * std::numbers::pi / 2000;
        double degrees = angle * 180 / std::numbers::pi;
        if (degrees < 0) degrees += 360;
        const double off = fast_direction_deg(float(std::sin(angle)), float(std::cos(angle))) - degrees;
        CHECK(std::abs(std::remainder(off, 360.0)) < 2e-3);
    }
    CHECK(fast_cube_root(0) < 2e-4f);
    CHECK(fast_exp2(-500) < 1e-37f);
}
