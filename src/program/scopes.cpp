#include "program/scopes.h"

#include "nodes/description.h"
#include "scene/graph.h"

namespace vemtra::program {
namespace {

constexpr int deepest_instance = 64;      // networks within networks; what is deeper contains itself
constexpr size_t most_instances = 20000;  // of networks, in one program

const scene::NetworkOutput* output_of(const scene::Network& n, const std::string& name) {
    for (const scene::NetworkOutput& o : n.outputs)
        if (name.empty() || o.name == name) return &o;
    return nullptr;
}

}  // namespace

Scopes::Scopes(const scene::BuildUp& build_up, const std::vector<scene::Network>* networks, Tell tell)
    : tell_(std::move(tell)) {
    if (networks)
        for (const scene::Network& n : *networks) networks_.emplace(n.id, &n);
    Scope top;
    scene::for_each_node(build_up, [&](const scene::Node& n, const scene::Layer*) { top.nodes.emplace(n.id, &n); });
    scopes_.push_back(std::move(top));
}

const scene::NetworkInput* Scopes::network_input(int scope, const std::string& name) const {
    const scene::Network* n = scopes_[size_t(scope)].network;
    if (n)
        for (const scene::NetworkInput& i : n->inputs)
            if (i.name == name) return &i;
    return nullptr;
}

scene::Input Scopes::given(int scope, const scene::NetworkInput& port) const {
    const scene::Inputs& inputs = scopes_[size_t(scope)].instance->inputs;
    const auto it = inputs.find(port.name);
    return it == inputs.end() ? scene::Input{port.value, {}} : it->second;
}

int Scopes::inside(int scope, const scene::Node& instance) {
    Scope& outer = scopes_[size_t(scope)];
    if (const auto it = outer.children.find(instance.id); it != outer.children.end()) return it->second;
    int made = -1;
    const auto network = networks_.find(instance.network);
    if (network == networks_.end())
        tell_(instance.id, "its network '" + instance.network + "' does not exist",
              "Choose another one, or delete the node");
    else if (outer.depth >= deepest_instance)
        tell_(instance.id, "the network '" + network->second->name + "' contains itself", "Take it out of itself");
    else if (scopes_.size() > most_instances)
        tell_(instance.id, "there are more than " + std::to_string(most_instances) + " instances of networks",
              "Use fewer networks within one another");
    else {
        Scope s;
        s.network = network->second;
        s.instance = &instance;
        s.parent = scope;
        s.depth = outer.depth + 1;
        for (const scene::Node& n : network->second->nodes) s.nodes.emplace(n.id, &n);
        made = int(scopes_.size());
        scopes_.push_back(std::move(s));
    }
    scopes_[size_t(scope)].children.emplace(instance.id, made);
    return made;
}
Scopes::Computing Scopes::resolve(int scope, scene::Input input, const std::string& reader, bool aloud) {
    for (int hops = 0; !input.from.empty() && hops < 4 * deepest_instance; ++hops) {
        if (const scene::NetworkInput* port = network_input(scope, input.from)) {
            input = given(scope, *port);
            scope = scopes_[size_t(scope)].parent;
            continue;
        }
        const auto it = scopes_[size_t(scope)].nodes.find(input.from);
        if (it == scopes_[size_t(scope)].nodes.end()) {
            if (aloud)
                tell_(reader, "it reads from '" + input.from + "', which does not exist", "Connect it to another node");
            return {};
        }
        if (it->second->network.empty()) return {scope, it->second};
        const int inner = inside(scope, *it->second);
        if (inner < 0) return {};
        const scene::NetworkOutput* output = output_of(*scopes_[size_t(inner)].network, input.output);
        if (!output) {
            if (aloud)
                tell_(reader,
                      "the network '" + scopes_[size_t(inner)].network->name + "' has no output '" + input.output + "'",
                      "Choose another output");
            return {};
        }
        input = output->input;
        scope = inner;
    }
    return {};
}

std::optional<scene::Value> Scopes::fixed_value(int scope, scene::Input input, bool words) {
    for (int hops = 0; hops < 4 * deepest_instance; ++hops) {
        if (input.from.empty()) return words ? input.value : input.shown();
        if (const scene::NetworkInput* port = network_input(scope, input.from)) {
            input = given(scope, *port);
            scope = scopes_[size_t(scope)].parent;
            continue;
        }
        if (words) return std::nullopt;
        const auto it = scopes_[size_t(scope)].nodes.find(input.from);
        if (it == scopes_[size_t(scope)].nodes.end()) return std::nullopt;
        const scene::Node& n = *it->second;
        if (n.network.empty()) {
            const nodes::NodeDescription* d = nodes::describe(n.kind);
            if (!d || !d->passes) return std::nullopt;
            const nodes::Port& port = d->ports.front();
            const auto own = n.inputs.find(port.name);
            input = own == n.inputs.end() ? scene::Input{port.value, {}} : own->second;
            continue;
        }
        const int inner = inside(scope, n);
        const scene::NetworkOutput* output =
            inner < 0 ? nullptr : output_of(*scopes_[size_t(inner)].network, input.output);
        if (!output) return std::nullopt;
        input = output->input;
        scope = inner;
    }
    return std::nullopt;
}

}  // namespace vemtra::program
