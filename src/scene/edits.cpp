#include "scene/edits.h"

#include <algorithm>
#include <string_view>
#include <unordered_map>

#include "scene/slot_names.h"

namespace vemtra::scene {
namespace {

std::vector<std::string> ids(const BuildUp& b) {
    std::vector<std::string> taken;
    for_each_node(b, [&](const Node& n, const Layer*) { taken.push_back(n.id); });
    for (const Layer& l : b.layers) taken.push_back(l.id);
    return taken;
}

}  // namespace

std::string FreshIds::take(const std::string& stem) {
    if (taken_.insert(stem).second) return stem;
    for (int& n = next_.try_emplace(stem, 2).first->second;; ++n)
        if (std::string id = stem + "-" + std::to_string(n); taken_.insert(id).second) return id;
}
std::string fresh_id(const BuildUp& build_up, const std::string& stem) {
    return FreshIds(ids(build_up)).take(stem);
}
std::string fresh_id(const std::vector<std::string>& taken, const std::string& stem) {
    return FreshIds(taken).take(stem);
}

std::string stem_of(const std::string& name) {
    std::string stem;
    for (unsigned char c : name) {
        if (c >= 0x80 || std::isalnum(c))
            stem += char(std::tolower(c));
        else if (!stem.empty() && stem.back() != '-')
            stem += '-';
    }
    while (!stem.empty() && stem.back() == '-') stem.pop_back();
    return stem.empty() ? "item" : stem;
}

std::string add_layer(BuildUp& b, const std::string& name, const std::string& above, LayerKind kind) {
    Layer layer;
    layer.kind = kind;
    layer.id = fresh_id(b, stem_of(name));
    layer.name = name;
    auto at = b.layers.end();
    if (!above.empty())
        for (auto it = b.layers.begin(); it != b.layers.end(); ++it)
            if (it->id == above) at = it + 1;
    const std::string id = layer.id;
    b.layers.insert(at, std::move(layer));
    return id;
}

void remove_layer(BuildUp& b, const std::string& layer_id) {
    if (b.layers.size() < 2 || (b.layers[0].id == layer_id && !traits(b.layers[1].kind).may_be_base)) return;
    for (auto it = b.layers.begin(); it != b.layers.end(); ++it) {
        if (it->id != layer_id) continue;
        Layer removed = std::move(*it);
        b.layers.erase(it);
        // Nodes that something else still reads are kept, with all that they need themselves.
        std::vector<std::string> read;
        for_each_input(b, [&](Input& i) { read.push_back(i.from); });
        BuildUp own;
        own.commons = removed.nodes;
        const Ids needed = Graph(own).upstream(read);
        for (Node& n : removed.nodes)
            if (needed.contains(n.id)) b.commons.push_back(std::move(n));
        return;
    }
}

std::string duplicate_layer(BuildUp& b, const std::string& layer_id) {
    const Layer* source = find(b.layers, layer_id);
    if (!source) return {};
    Layer copy = *source;
    copy.name += " copy";
    copy.id = fresh_id(b, stem_of(copy.name));
    std::unordered_map<std::string, std::string> renamed;
    BuildUp with = b;  // the copy's own id is taken, too
    with.layers.push_back(Layer());
    with.layers.back().id = copy.id;
    copy.nodes = copies(with, copy.nodes, renamed);
    if (const auto it = renamed.find(copy.gate.mask.from); it != renamed.end()) copy.gate.mask.from = it->second;
    follow(copy.surface, renamed);
    const std::string id = copy.id;
    b.layers.insert(b.layers.begin() + (source - b.layers.data()) + 1, std::move(copy));
    return id;
}

void move_layer(BuildUp& build_up, const std::string& layer_id, int to_index) {
    BuildUp b = build_up;
    for (size_t i = 0; i < b.layers.size(); ++i) {
        if (b.layers[i].id != layer_id) continue;
        const size_t to = size_t(std::clamp(to_index, 0, int(b.layers.size()) - 1));
        Layer moved = std::move(b.layers[i]);
        b.layers.erase(b.layers.begin() + long(i));
        b.layers.insert(b.layers.begin() + long(to), std::move(moved));
        break;
    }
    if (b.layers.empty() || traits(b.layers.front().kind).may_be_base)
        build_up = std::move(b);  // the base cannot be a coat
}

std::string add_node(BuildUp& b, const std::string& layer_id, const std::string& kind, const std::string& type,
                     const std::string& name) {
    Node n;
    n.id = fresh_id(b, stem_of(name));
    n.kind = kind;
    n.type = type;
    n.name = name;
    const std::string id = n.id;
    Layer* layer = find(b.layers, layer_id);
    (layer ? layer->nodes : b.commons).push_back(std::move(n));
    return id;
}

void remove_node(BuildUp& b, const std::string& node_id) {
    auto drop = [&](std::vector<Node>& nodes) { std::erase_if(nodes, [&](const Node& n) { return n.id == node_id; }); };
    drop(b.commons);
    for (Layer& l : b.layers) drop(l.nodes);
    for_each_input(b, [&](Input& i) {
        if (i.from == node_id) i.from.clear();
    });
}

Node* node(BuildUp& b, const std::string& node_id) {
    return const_cast<Node*>(find_node(b, node_id).node);
}

bool would_circle(const BuildUp& b, const std::string& from_node, const std::string& to_node) {
    return from_node == to_node || Graph(b).upstream({from_node}).contains(to_node);
}

BuildUp default_build_up(const std::string& id, const std::string& name) {
    BuildUp b;
    b.id = id;
    b.name = name;
    add_layer(b, "Base");
    b.layers[0].surface[slot::base_color] = {Value{V3f(.5f, .5f, .5f)}, {}};
    b.layers[0].surface[slot::specular_roughness] = {Value{.45f}, {}};
    return b;
}

/// A neutral studio around an asset whose diagonal is 1: a large soft key, a fill on the other side, a rim from behind
/// and a soft sheet overhead, all of them there to be mirrored, before dim grey walls.
Rig default_rig() {
    Rig rig;
    rig.id = "bench";
    rig.name = "Studio";
    rig.environment.tint = V3f(.15f, .152f, .156f);
    rig.environment.seen = false;
    rig.environment.backdrop = V3f(.085f, .086f, .088f);
    auto lamp = [&](const char* id, const char* name, const V3f& from, const V2f& size, float intensity,
                    const V3f& color, const char* group) {
        Light l;
        l.id = id;
        l.name = name;
        l.position = from;
        l.size = size;
        l.intensity = intensity;
        l.color = color;
        l.group = group;
        rig.lights.push_back(l);
    };
    lamp("key", "Key", {1.25f, 1.15f, 1.2f}, {1.3f, 1.3f}, 4.2f, {1.f, .985f, .96f}, "key");
    lamp("fill", "Fill", {-1.9f, .55f, .9f}, {1.f, 1.8f}, 1.f, {.96f, .98f, 1.f}, "fill");
    lamp("rim", "Rim", {-.9f, .95f, -1.5f}, {.45f, 1.5f}, 4.2f, {1.f, 1.f, 1.f}, "rim");
    lamp("overhead", "Overhead", {.1f, 1.9f, -.2f}, {1.6f, .9f}, 1.3f, {1.f, 1.f, 1.f}, "fill");
    for (const char* name : {"environment", "key", "fill", "rim"}) {
        LightGroup group;
        group.name = name;
        rig.groups.push_back(group);
    }
    return rig;
}

void frame(Camera& camera, const Box3f& box, float aspect) {
    if (box.isEmpty()) return;
    V3f direction = camera.position - camera.target;
    if (direction.length() < 1e-6f) direction = V3f(.5f, .35f, 1.f);
    direction.normalize();
    const float radius = std::max(1e-4f, box.size().length() * .5f);
    const float half_width = 18.f / camera.focal_length;
    const float half_angle = std::atan(half_width * std::min(1.f, 1.f / std::max(aspect, 1e-3f)));
    camera.target = box.center();
    camera.position = camera.target + direction * (radius / std::sin(half_angle) * 1.02f);
}

void fit_to(Scene& scene, const Box3f& box) {
    if (box.isEmpty()) return;
    const float size = std::max(1e-4f, box.size().length());
    if (scene.cameras.empty()) {
        Camera camera;
        camera.id = "main";
        camera.name = "Main";
        camera.position = V3f(.55f, .4f, 1.f);
        frame(camera, box, float(scene.render.width) / float(scene.render.height));
        scene.cameras.push_back(camera);
        scene.camera = camera.id;
    }
    for (Rig& rig : scene.rigs) {
        rig.stage.height = box.min.y;
        rig.stage.fade_start = 1.2f * size;
        rig.stage.fade_end = 3.4f * size;
        for (Light& light : rig.lights) {  // the default lights stand in a unit scene: move them to the asset's size
            light.position = box.center() + light.position * size;
            light.target = box.center();
            light.size *= size;
        }
    }
}

namespace {

/// Build-ups by id, each name looked up once.
class BuildUpIndex {
public:
    explicit BuildUpIndex(const Scene& scene) : scene_(scene) {
        for (size_t i = 0; i < scene.build_ups.size(); ++i) at_.try_emplace(scene.build_ups[i].id, i);
    }
    /// SIZE_MAX where the layer shows none that exists.
    size_t shown_by(const Layer& layer) const {
        const auto it = layer.build_up.empty() ? at_.end() : at_.find(layer.build_up);
        return it == at_.end() ? SIZE_MAX : it->second;
    }
    size_t of(const std::string& id) const {
        const auto it = at_.find(id);
        return it == at_.end() ? SIZE_MAX : it->second;
    }

    /// Depth first over all build-ups: on_circle(build-up, layer) for layers that lead back to one that is still open,
    /// left(build-up) when all that it shows has been left.
    template <class OnCircle, class Left> void walk(OnCircle&& on_circle, Left&& left) const {
        enum : char { fresh, open, done };
        std::vector<char> state(scene_.build_ups.size(), fresh);
        struct Step {
            size_t build_up, layer;
        };
        std::vector<Step> path;
        for (size_t root = 0; root < state.size(); ++root) {
            if (state[root] != fresh) continue;
            state[root] = open;
            path.push_back({root, 0});
            while (!path.empty()) {
                Step& step = path.back();
                const std::vector<Layer>& layers = scene_.build_ups[step.build_up].layers;
                if (step.layer == layers.size()) {
                    state[step.build_up] = done;
                    left(step.build_up);
                    path.pop_back();
                    continue;
                }
                const size_t layer = step.layer++;
                const size_t next = shown_by(layers[layer]);
                if (next == SIZE_MAX || state[next] == done) continue;
                if (state[next] == open) {
                    on_circle(step.build_up, layer);
                    continue;
                }
                state[next] = open;
                path.push_back({next, 0});
            }
        }
    }

private:
    const Scene& scene_;
    std::unordered_map<std::string_view, size_t> at_;
};

}  // namespace

BuildUpReach::BuildUpReach(const Scene& scene) : shown_in_(scene.build_ups.size()) {
    const BuildUpIndex index(scene);
    for (size_t b = 0; b < scene.build_ups.size(); ++b) {
        index_.try_emplace(scene.build_ups[b].id, b);
        for (const Layer& l : scene.build_ups[b].layers)
            if (const size_t inner = index.shown_by(l); inner != SIZE_MAX) shown_in_[inner].push_back(b);
    }
}

std::vector<char> BuildUpReach::to(const std::string& build_up) const {
    std::vector<char> reaches(shown_in_.size(), 0);
    const auto it = index_.find(build_up);
    std::vector<size_t> open;
    if (it != index_.end()) open.push_back(it->second);
    while (!open.empty()) {
        const size_t at = open.back();
        open.pop_back();
        if (reaches[at]) continue;
        reaches[at] = 1;
        open.insert(open.end(), shown_in_[at].begin(), shown_in_[at].end());
    }
    return reaches;
}

bool build_up_reaches(const Scene& scene, const std::string& from, const std::string& to) {
    const size_t at = BuildUpIndex(scene).of(from);
    return from == to || (at != SIZE_MAX && BuildUpReach(scene).to(to)[at]);
}

std::vector<Layer*> layers_in_circles(Scene& scene) {
    std::vector<Layer*> out;
    BuildUpIndex(scene).walk([&](size_t b, size_t l) { out.push_back(&scene.build_ups[b].layers[l]); }, [](size_t) {});
    return out;
}

std::vector<size_t> inner_first(const Scene& scene) {
    std::vector<size_t> out;
    BuildUpIndex(scene).walk([](size_t, size_t) {}, [&](size_t b) { out.push_back(b); });
    return out;
}

void exchange_surface(BuildUp& b, const std::string& layer_id, const Inputs& surface, const std::vector<Node>& nodes) {
    Layer* layer = find(b.layers, layer_id);
    if (!layer) return;
    layer->surface.clear();
    layer->build_up.clear();
    // Nodes of this lane that nothing reads any more, directly or through others, served the old surface alone.
    remove_unread(b, layer_id, ids_of(layer->nodes));
    std::unordered_map<std::string, std::string> renamed;
    for (Node& n : copies(b, nodes, renamed)) layer->nodes.push_back(std::move(n));
    layer->surface = surface;
    follow(layer->surface, renamed);
}

}  // namespace vemtra::scene
