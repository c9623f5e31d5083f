#pragma once
#include <string>
#include <vector>

#include "rig/scene.h"

namespace moorhaze::rig {

struct SceneEntry {
    std::string name, description;
    Scene (*make)(std::uint32_t seed);
};

/// All scenes that can be simulated; the command line and the tests read this.
const std::vector<SceneEntry>& scene_list();

/// @throws BadParameter naming the scenes there are.
Scene make_scene(const std::string& name, std::uint32_t seed);

Scene make_brass_wheels(std::uint32_t seed);
Scene make_lichen_cups(std::uint32_t seed);

}  // namespace moorhaze::rig
