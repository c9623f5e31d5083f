// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>
#include <vector>

#include "rig/scene.h"

namespace moorhaze::rig {

struct SceneEntry {
    std::string name, description;
    Scene (*make)(std::uint32_t seed, const SceneState& state);
    bool moves = false;  ///< a part of it moves during the shoot
    int views = 1;       ///< that a turntable set of it usually has
};

/// All scenes that can be simulated; the command line and the tests read this.
const std::vector<SceneEntry>& scene_list();

/// @throws BadParameter naming the scenes there are.
const SceneEntry& scene_entry(const std::string& name);
Scene make_scene(const std::string& name, std::uint32_t seed, const SceneState& state = {});

Scene make_brass_wheels(std::uint32_t seed, const SceneState& state);
Scene make_lichen_cups(std::uint32_t seed, const SceneState& state);
Scene make_glazed_knob(std::uint32_t seed, const SceneState& state);
Scene make_peat_path(std::uint32_t seed, const SceneState& state);
Scene make_random(std::uint32_t seed, const SceneState& state);
Scene make_sundew(std::uint32_t seed, const SceneState& state);
Scene make_wet_pebbles(std::uint32_t seed, const SceneState& state);

}  // namespace moorhaze::rig
