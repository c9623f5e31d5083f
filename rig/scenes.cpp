// SPDX-License-Identifier: GPL-3.0-or-later
#include "rig/scenes.h"

namespace moorhaze::rig {

const std::vector<SceneEntry>& scene_list() {
    static const std::vector<SceneEntry> scenes = {
        {"brass-wheels",
         "brass wheels of an old survey instrument; hard edges, deep steps, glints; on a rail",
         &make_brass_wheels},
        {"glazed-knob", "a glazed knob on a turntable; painted, glossy, before a pale backdrop; 12 views",
         &make_glazed_knob, false, 12},
        {"lichen-cups", "lichen cups with hairs of bog cotton; thin crossing hairs, soft backdrop; hand-held",
         &make_lichen_cups},
        {"peat-path", "pebbles and dry stalks on a path that leads far away; 150 frames on a rail",
         &make_peat_path},
        {"random",
         "ground, boxes, balls with clipped highlights, wheels, toothed leaves, hairs: all by the seed",
         &make_random},
        {"sundew", "sundew leaves on moss, one of which bends during the shoot; hand-held", &make_sundew,
         true},
        {"wet-pebbles", "smooth wet pebbles with broad highlights and little texture; on a rail",
         &make_wet_pebbles},
    };
    return scenes;
}

const SceneEntry& scene_entry(const std::string& name) {
    std::string known;
    for (const SceneEntry& entry : scene_list()) {
        if (entry.name == name) return entry;
        known += (known.empty() ? "" : ", ") + entry.name;
    }
    throw BadParameter("there is no scene '" + name + "'. There are: " + known + ".");
}

Scene make_scene(const std::string& name, std::uint32_t seed, const SceneState& state) {
    const SceneEntry& entry = scene_entry(name);
    Scene scene = entry.make(seed, state);
    scene.name = entry.name;
    scene.description = entry.description;
    return scene;
}

}  // namespace moorhaze::rig
