#include "scene/map_wires.h"

#include <algorithm>
#include <set>

#include "scene/edits.h"

namespace vemtra::scene {
namespace {

/// Removes the nodes of the lane that feed nothing any more, beginning with those that fed what was replaced.
void remove_unread(BuildUp& b, const std::string& layer_id, std::vector<std::string> candidates) {
    while (!candidates.empty()) {
        const std::string id = candidates.back();
        candidates.pop_back();
        bool read = false;
        for_each_input(b, [&](Input& i) { read |= i.from == id; });
        Layer* layer = find(b.layers, layer_id);
        const auto it = std::find_if(layer->nodes.begin(), layer->nodes.end(), [&](const Node& n) { return n.id == id; });
        if (read || it == layer->nodes.end()) continue;
        for (const auto& [name, input] : it->inputs)
            if (!input.from.empty()) candidates.push_back(input.from);
        layer->nodes.erase(it);
    }
}

}  // namespace

std::string wire_maps(BuildUp& b, const std::string& layer_id, const std::string& set, const std::vector<MapWire>& wires) {
    if (!find(b.layers, layer_id)) return {};
    std::string placement;
    std::set<std::string> fed;
    // What an earlier set left standing by goes with what it fed.
    auto stands_by = [&](const std::string& id) {
        bool read = false;
        for_each_input(b, [&](Input& i) { read |= i.from == id; });
        return !read;
    };
    {
        std::vector<std::string> idle;
        for (const Node& n : find(b.layers, layer_id)->nodes)
            if (stands_by(n.id))
                for (const MapWire& w : wires) {
                    const auto it = n.inputs.find("file");
                    if (it != n.inputs.end() && it->second.value == Value(w.file)) {
                        idle.push_back(n.id);
                        break;
                    }
                }
        remove_unread(b, layer_id, idle);
    }
    for (const MapWire& w : wires) {
        const bool feeds = !w.slot.empty() && fed.insert(w.slot).second;  // the first map of a slot feeds it
        auto slot = [&]() -> Input& {
            Layer* layer = find(b.layers, layer_id);
            return w.slot == "gate" ? layer->gate.mask : layer->surface[w.slot];
        };
        auto give = [&](Input input) {
            const std::string before = slot().from;
            slot() = std::move(input);
            if (!before.empty()) remove_unread(b, layer_id, {before});
        };
        if (w.value) {
            if (!feeds) continue;
            Input input;
            if (w.use == MapWire::Use::normal || w.use == MapWire::Use::height) input.value = V3f(0.f);  // the surface's own
            else if (w.use == MapWire::Use::color) input.value = *w.value;
            else input.value = w.invert ? 1.f - w.value->x : w.value->x;
            give(input);
            continue;
        }
        if (placement.empty()) placement = add_node(b, layer_id, "placement", "place", set + " placement");
        using Use = MapWire::Use;
        const bool height = w.use == Use::height;
        std::string out = add_node(b, layer_id, height ? "heightrelief" : "image", height ? "vector3" : w.use == Use::color ? "color3" : w.use == Use::normal ? "vector3" : "float", w.name);
        {
            Node* n = node(b, out);
            n->inputs["file"].value = w.file;
            n->inputs["colorspace"].value = w.use == Use::color ? w.colorspace : std::string("raw");
            if (w.use != Use::color && w.use != Use::normal) n->inputs["channel"].value = w.channel;
            n->inputs["texcoord"].from = placement;
        }
        if (w.use == Use::normal) {
            const std::string map = add_node(b, layer_id, "normalmap", "vector3", w.name + " directions");
            Node* n = node(b, map);
            n->inputs["in"].from = out;
            n->inputs["texcoord"].from = placement;
            n->inputs["green"].value = w.green_down ? 1.f : 0.f;
            out = map;
        }
        if (w.invert) {
            const std::string turned = add_node(b, layer_id, "invert", "float", w.name + " inverted");
            node(b, turned)->inputs["in"].from = out;
            out = turned;
        }
        if (!feeds) continue;
        Input input = slot();
        input.worn.reset();
        input.from = out;
        give(std::move(input));
    }
    return placement;
}

}  // namespace vemtra::scene
