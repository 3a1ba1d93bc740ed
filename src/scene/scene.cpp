#include "scene/scene.h"

namespace vemtra::scene {

const Rig* active_rig(const Scene& scene) {
    if (const Rig* rig = find(scene.rigs, scene.rig)) return rig;
    return scene.rigs.empty() ? nullptr : &scene.rigs.front();
}

const Camera* active_camera(const Scene& scene) {
    if (const Camera* camera = find(scene.cameras, scene.camera)) return camera;
    return scene.cameras.empty() ? nullptr : &scene.cameras.front();
}

const LightGroup* group(const Rig& rig, const std::string& name) {
    for (const LightGroup& g : rig.groups)
        if (g.name == name) return &g;
    return nullptr;
}

NodePlace find_node(const BuildUp& build_up, const std::string& node_id) {
    if (const Node* node = find(build_up.commons, node_id)) return {node, nullptr};
    for (const Layer& layer : build_up.layers)
        if (const Node* node = find(layer.nodes, node_id)) return {node, &layer};
    return {};
}

float as_number(const Value& value, float fallback) {
    if (auto* f = std::get_if<float>(&value)) return *f;
    if (auto* b = std::get_if<bool>(&value)) return *b ? 1.f : 0.f;
    if (auto* v = std::get_if<V2f>(&value)) return v->x;
    if (auto* v = std::get_if<V3f>(&value)) return v->x;
    return fallback;
}

V3f as_vector(const Value& value, V3f fallback) {
    if (auto* v = std::get_if<V3f>(&value)) return *v;
    if (auto* v = std::get_if<V2f>(&value)) return {v->x, v->y, 0.f};
    if (std::holds_alternative<std::string>(value)) return fallback;
    return V3f(as_number(value));
}

}  // namespace vemtra::scene
