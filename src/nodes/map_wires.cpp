#include "nodes/map_wires.h"

#include <algorithm>
#include <set>

#include "scene/edits.h"

namespace vemtra::nodes {
namespace {

using scene::BuildUp;
using scene::Input;
using scene::Layer;
using scene::Node;

/// Maps of an earlier set that stand by, feeding nothing, go where the new set brings the same file.
void remove_idle(BuildUp& b, const std::string& layer_id, const std::vector<MapWire>& wires) {
    std::vector<std::string> idle;
    for (const Node& n : scene::find(b.layers, layer_id)->nodes) {
        const std::string file = word_of(n, Role::file);
        if (!file.empty() && std::any_of(wires.begin(), wires.end(), [&](const MapWire& w) { return w.file == file; }))
            idle.push_back(n.id);
    }
    scene::remove_unread(b, layer_id, idle);
}

/// What stands in a slot whose map is one value everywhere.
scene::Value plain_value(const MapWire& w) {
    if (w.use == MapWire::Use::normal || w.use == MapWire::Use::height) return V3f(0.f);  // the surface's own
    if (w.use == MapWire::Use::color) return *w.value;
    return w.invert ? 1.f - w.value->x : w.value->x;
}

/// The nodes of one map: how it is read, then what its use needs. Returns the id of the last one.
std::string read_map(BuildUp& b, const std::string& layer, const MapWire& w, const std::string& placement) {
    using How = MapWire::Use;
    const bool height = w.use == How::height;
    const bool color = w.use == How::color;
    const bool normal = w.use == How::normal;
    std::string out = add(b, layer, height ? Use::relief : Use::map,
                          color              ? Type::color
                          : height || normal ? Type::vector3
                                             : Type::number,
                          w.name);
    Node& image = *scene::node(b, out);
    set(image, Role::file, w.file);
    set(image, Role::colour_space, color ? w.colorspace : std::string("raw"));
    if (!color && !normal) set(image, Role::channel, w.channel);
    wire(image, Role::where, placement);
    if (normal) {
        const std::string read =
            std::exchange(out, add(b, layer, Use::directions, Type::vector3, w.name + " directions"));
        Node& directions = *scene::node(b, out);
        wire(directions, Role::subject, read);
        wire(directions, Role::where, placement);
        set(directions, Role::green_down, w.green_down ? 1.f : 0.f);
    }
    if (w.invert) {
        const std::string read = std::exchange(out, add(b, layer, Use::turn_over, Type::number, w.name + " inverted"));
        wire(*scene::node(b, out), Role::subject, read);
    }
    return out;
}

}  // namespace

std::string wire_maps(BuildUp& b, const std::string& layer_id, const std::string& set_name,
                      const std::vector<MapWire>& wires) {
    if (!scene::find(b.layers, layer_id)) return {};
    std::string placement;
    std::set<std::string> fed;
    remove_idle(b, layer_id, wires);
    auto slot_of = [&](const MapWire& w) -> Input& {
        Layer* layer = scene::find(b.layers, layer_id);
        return w.slot == scene::gate_slot ? layer->gate.mask : layer->surface[w.slot];
    };
    auto give = [&](const MapWire& w, Input input) {
        const std::string before = slot_of(w).from;
        slot_of(w) = std::move(input);
        if (!before.empty()) scene::remove_unread(b, layer_id, {before});
    };
    for (const MapWire& w : wires) {
        const bool feeds = !w.slot.empty() && fed.insert(w.slot).second;  // the first map of a slot feeds it
        if (w.value) {
            if (feeds) give(w, {plain_value(w), {}});
            continue;
        }
        if (placement.empty()) placement = add(b, layer_id, Use::placement, Type::place, set_name + " placement");
        const std::string out = read_map(b, layer_id, w, placement);
        if (!feeds) continue;
        Input input = slot_of(w);
        input.worn.reset();
        input.from = out;
        give(w, std::move(input));
    }
    return placement;
}

}  // namespace vemtra::nodes
