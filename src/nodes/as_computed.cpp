#include "nodes/as_computed.h"

#include "nodes/wiring.h"
#include "scene/graph.h"

namespace vemtra::nodes {
namespace {

bool is_short(const scene::Node& n) {
    if (n.bypassed) return true;
    if (!n.network.empty()) return false;
    const NodeDescription* d = describe(n.kind);
    return d && d->stands_for;
}

/// The node as one that passes on; false where it works on nothing that can be passed.
bool pass_on(scene::Node& n, const TypeOf& type_of) {
    static const NodeDescription& pass = *describe("dot");
    auto passes = [&](Type type) { return std::find(pass.types.begin(), pass.types.end(), type) != pass.types.end(); };
    auto become = [&](Type type, const scene::Input& input) {
        n.kind = pass.kind;
        n.network.clear();
        n.type = type_name(type);
        n.inputs = {{pass.ports.front().name, input}};
        n.bypassed = false;
        return true;
    };
    if (!n.network.empty()) {  // of an instance: the first that is wired to it
        for (const auto& [name, input] : n.inputs)
            if (!input.from.empty() && passes(type_of(input.from))) return become(type_of(input.from), input);
        return false;
    }
    const auto d = describe(n);
    const Port* on = d ? main_input(*d) : nullptr;
    if (!on) return false;
    const Type type = d->port_type(*on, d->output_type(n));
    if (!passes(type)) return false;
    const auto it = n.inputs.find(on->name);
    return become(type, it == n.inputs.end() ? scene::Input{on->value, {}} : it->second);
}

void at_length(std::vector<scene::Node>& nodes, const TypeOf& type_of, scene::Ids& gone) {
    std::vector<scene::Node> out;
    for (scene::Node& n : nodes) {
        if (n.bypassed && !pass_on(n, type_of)) {
            gone.insert(n.id);
            continue;
        }
        const NodeDescription* d = n.network.empty() ? describe(n.kind) : nullptr;
        if (!d || !d->stands_for) {
            out.push_back(std::move(n));
            continue;
        }
        for (scene::Node& made : d->stands_for(n, type_of)) out.push_back(std::move(made));
    }
    nodes = std::move(out);
}

using Types = std::unordered_map<std::string, Type>;
void note_type(const scene::Node& n, Types& types) {
    if (const auto* d = n.network.empty() ? describe(n.kind) : nullptr) types.emplace(n.id, d->output_type(n));
}

}  // namespace

bool has_shorthand(const scene::BuildUp& b) {
    bool any = false;
    scene::for_each_node(b, [&](const scene::Node& n, const scene::Layer*) { any |= is_short(n); });
    return any;
}
bool has_shorthand(const scene::Network& network) {
    return std::any_of(network.nodes.begin(), network.nodes.end(), is_short);
}

scene::BuildUp as_computed(scene::BuildUp b) {
    Types types;
    scene::for_each_node(b, [&](const scene::Node& n, const scene::Layer*) { note_type(n, types); });
    const TypeOf type_of = [&](const std::string& id) {
        const auto it = types.find(id);
        return it == types.end() ? Type::color : it->second;
    };
    scene::Ids gone;
    at_length(b.commons, type_of, gone);
    for (scene::Layer& l : b.layers) at_length(l.nodes, type_of, gone);
    if (!gone.empty())
        scene::for_each_input(b, [&](scene::Input& i) {
            if (gone.contains(i.from)) i.from.clear();
        });
    return b;
}

scene::Network as_computed(scene::Network network) {
    Types types;
    for (const scene::Node& n : network.nodes) note_type(n, types);
    for (const scene::NetworkInput& i : network.inputs) {
        Type t = Type::color;
        type_from_name(i.type, t);
        types.emplace(i.name, t);
    }
    scene::Ids gone;
    at_length(
        network.nodes,
        [&](const std::string& id) {
            const auto it = types.find(id);
            return it == types.end() ? Type::color : it->second;
        },
        gone);
    for (scene::Node& n : network.nodes)
        for (auto& [name, input] : n.inputs)
            if (gone.contains(input.from)) input.from.clear();
    for (scene::NetworkOutput& o : network.outputs)
        if (gone.contains(o.input.from)) o.input.from.clear();
    return network;
}

}  // namespace vemtra::nodes
