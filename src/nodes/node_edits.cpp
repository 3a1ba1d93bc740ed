// Nodes read and written by what their ports mean.
#include <cmath>

#include "nodes/description.h"
#include "scene/edits.h"

namespace vemtra::nodes {

scene::Value literal_of(const scene::Inputs& inputs, const Port& port) {
    const auto it = inputs.find(port.name);
    if (it == inputs.end()) return port.value;
    const bool is_text = std::holds_alternative<std::string>(it->second.value);
    return is_text == port.text ? it->second.value : port.value;
}
scene::Value literal_of(const scene::Node& node, const Port& port) {
    return literal_of(node.inputs, port);
}

std::string word_of(const scene::Node& node, const Port& port) {
    const scene::Value value = literal_of(node, port);
    const auto* text = std::get_if<std::string>(&value);
    return text ? *text : std::string();
}
float number_of(const scene::Node& node, const Port& port) {
    const float x = scene::as_number(literal_of(node, port));
    return port.whole ? std::round(x) : x;
}

namespace {
const Port* port_of(const scene::Node& node, Role role) {
    const NodeDescription* d = describe(node.kind);
    return d ? d->port(role) : nullptr;
}
}  // namespace

std::string word_of(const scene::Node& node, Role role) {
    const Port* p = port_of(node, role);
    return p ? word_of(node, *p) : std::string();
}
float number_of(const scene::Node& node, Role role) {
    const Port* p = port_of(node, role);
    return p ? number_of(node, *p) : 0.f;
}
std::string source_of(const scene::Node& node, Role role) {
    const Port* p = port_of(node, role);
    const auto it = p ? node.inputs.find(p->name) : node.inputs.end();
    return it == node.inputs.end() ? std::string() : it->second.from;
}
bool has_use(const scene::Node& node, Use use) {
    const NodeDescription* d = describe(node.kind);
    return d && d->use == use;
}
std::unordered_map<std::string, std::unordered_set<std::string>> file_inputs(const std::vector<scene::Network>& all) {
    std::unordered_map<std::string, std::unordered_set<std::string>> found;
    std::unordered_map<std::string, std::vector<size_t>> users;  // of a network: those that hold instances of it
    std::vector<size_t> waiting;
    for (size_t k = 0; k < all.size(); ++k) {
        waiting.push_back(k);
        for (const scene::Node& n : all[k].nodes)
            if (auto* of = n.network.empty() ? nullptr : &users[n.network]; of && (of->empty() || of->back() != k))
                of->push_back(k);
    }
    auto is_path = [&](const scene::Node& n, const std::string& port) {
        if (!n.network.empty()) {
            const auto of = found.find(n.network);
            return of != found.end() && of->second.contains(port);
        }
        const NodeDescription* d = describe(n.kind);
        const Port* p = d ? d->port(port) : nullptr;
        return p && p->role == Role::file;
    };
    // What was found of a network is news to its users alone; networks that contain one another come to an end as well.
    while (!waiting.empty()) {
        const scene::Network& network = all[waiting.back()];
        waiting.pop_back();
        std::unordered_set<std::string_view> names;
        for (const scene::NetworkInput& i : network.inputs) names.insert(i.name);
        bool news = false;
        for (const scene::Node& n : network.nodes)
            for (const auto& [port, input] : n.inputs)
                if (names.contains(input.from) && is_path(n, port)) news |= found[network.id].insert(input.from).second;
        if (!news) continue;
        for (const size_t user : users[network.id]) waiting.push_back(user);
    }
    return found;
}

bool set(scene::Node& node, Role role, scene::Value value) {
    const Port* p = port_of(node, role);
    if (p) node.inputs[p->name].value = std::move(value);
    return p;
}
void hold_version(scene::Node& node, const NodeDescription& d) {
    node.held.clear();
    for (const Port& p : d.ports) {
        const auto it = node.inputs.find(p.name);
        if (it == node.inputs.end() && p.reads != Reads::literal) continue;  // it reads the point
        scene::Input& kept = node.held[p.name];
        if (it != node.inputs.end()) kept = it->second;
        kept.value = literal_of(node, p);
        kept.from.clear();
        kept.output.clear();
    }
}
void flip_version(scene::Node& node, const NodeDescription& d) {
    if (node.held.empty()) return;
    const scene::Inputs other = std::move(node.held);
    hold_version(node, d);
    for (const auto& [name, version] : other) {
        const Port* p = d.port(name);
        if (!p) continue;
        const auto it = node.inputs.find(name);
        if (it == node.inputs.end() && version.value == p->value && !version.worn) continue;
        scene::Input& now = node.inputs[name];
        now.value = version.value;
        now.worn = version.worn;
        now.worn_shown = version.worn_shown;
        if (now == scene::Input{p->value, {}} && p->reads == Reads::literal) node.inputs.erase(name);
    }
}
bool wire(scene::Node& node, Role role, const std::string& from) {
    const Port* p = port_of(node, role);
    if (!p) return false;
    node.inputs.try_emplace(p->name, scene::Input{p->value, {}}).first->second.from = from;
    return true;
}
std::string add(scene::BuildUp& b, const std::string& layer, Use use, Type type, const std::string& name) {
    return scene::add_node(b, layer, description_for(use).kind, type_name(type), name);
}
void connect(scene::BuildUp& b, const std::string& from, const std::string& to, const std::string& port,
             const NodeDescription& of) {
    scene::Node* n = scene::node(b, to);
    const Port* p = of.port(port);
    if (n && p) n->inputs.try_emplace(port, scene::Input{p->value, {}}).first->second.from = from;
}
void connect_to_layer(scene::BuildUp& b, const std::string& from, const std::string& layer, const std::string& slot) {
    scene::Layer* l = scene::find(b.layers, layer);
    if (!l) return;
    if (slot == scene::gate_slot) {
        l->gate.mask.from = from;
        return;
    }
    if (const Port* p = slots_of(*l).port(slot))
        l->surface.try_emplace(slot, scene::Input{p->value, {}}).first->second.from = from;
}
scene::Node* insert_behind(scene::BuildUp& b, const std::string& node, Use use, Type type, const std::string& name) {
    const scene::NodePlace place = scene::find_node(b, node);
    if (!place.node) return nullptr;
    const std::string made = add(b, place.layer ? place.layer->id : "", use, type, name);
    scene::for_each_input(b, [&](scene::Input& i) {
        if (i.from == node) i.from = made;
    });
    scene::Node* n = scene::node(b, made);
    wire(*n, Role::subject, node);
    return n;
}

}  // namespace vemtra::nodes
