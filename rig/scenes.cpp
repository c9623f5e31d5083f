#include "rig/scenes.h"

namespace moorhaze::rig {

const std::vector<SceneEntry>& scene_list() {
    static const std::vector<SceneEntry> scenes = {
        {"brass-wheels",
         "brass wheels of an old survey instrument; hard edges, deep steps, glints; on a rail",
         &make_brass_wheels},
        {"lichen-cups", "lichen cups with hairs of bog cotton; thin crossing hairs, soft backdrop; hand-held",
         &make_lichen_cups},
    };
    return scenes;
}

Scene make_scene(const std::string& name, std::uint32_t seed) {
    std::string known;
    for (const SceneEntry& entry : scene_list()) {
        if (entry.name == name) {
            Scene scene = entry.make(seed);
            scene.name = entry.name;
            scene.description = entry.description;
            return scene;
        }
        known += (known.empty() ? "" : ", ") + entry.name;
    }
    throw BadParameter("there is no scene '" + name + "'. There are: " + known + ".");
}

}  // namespace moorhaze::rig
