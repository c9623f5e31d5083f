// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/picture/picture.h"
#include "rig/dust.h"
#include "rig/scene.h"

namespace moorhaze::rig {

/// What happens to the light of one exposure behind the lens. Deterministic by seed.
struct ExposureEffects {
    double gain = 1;        ///< against the nominal exposure; linear light is multiplied by it
    double dark_band = 0;   ///< share of the height, from the bottom, that the flash did not reach, 0..1
    double ambient = 0.02;  ///< light there, by full light
    double smear_right_px = 0,
           smear_down_px = 0;  ///< way of the picture over the sensor while it was exposed
    std::vector<DustSpeck> dust;
    double noise = 0;  ///< 0 none, 1 like ISO 100 of a small camera, more for more
    bool operator==(const ExposureEffects&) const = default;
};

/// @param linear  linear light, 1 = full scale; changed in place.   @throws Cancelled.
void apply_effects(cv::Mat3f& linear, const ExposureEffects& effects, std::uint32_t seed, const Job& job);

/// Two independent normal deviates. Source: Box & Muller, Ann. Math. Stat. 29(2), 1958.
std::pair<double, double> normal_pair(std::uint32_t seed, std::uint32_t index);

}  // namespace moorhaze::rig
