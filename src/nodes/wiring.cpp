#include "nodes/wiring.h"

#include <cmath>
#include <unordered_map>

#include "scene/edits.h"

namespace vemtra::nodes {
namespace {

bool connectable(const Port& p) {
    return !p.uniform && !p.text;
}
bool is_free(const scene::Node& node, const Port& p) {
    const auto it = node.inputs.find(p.name);
    return it == node.inputs.end() || it->second.from.empty();
}
Type type_of(const scene::Node& node) {
    const NodeDescription* d = describe(node.kind);
    return d ? d->output_type(node) : Type::color;
}
/// The type of a new node that works on what is of type `from`.
Type type_after(const NodeDescription& d, Type from) {
    for (Type t : d.types)
        if (t == from) return t;
    return d.types.front();
}
void put_wire(scene::Node& node, const Port& p, const std::string& from) {
    node.inputs.try_emplace(p.name, scene::Input{p.value, {}}).first->second.from = from;
}
std::string make(scene::BuildUp& b, const std::string& layer, const NodeDescription& d, Type type) {
    return scene::add_node(b, layer, d.kind, type_name(type), d.title);
}

}  // namespace

const Port* main_input(const NodeDescription& d) {
    if (const Port* subject = d.port(Role::subject)) return subject;
    for (const Port& p : d.ports)
        if (p.same_as_output && connectable(p) && d.family != "pattern") return &p;
    for (const Port& p : d.ports)
        if (connectable(p) && p.reads == Reads::literal && d.family != "pattern" && d.family != "form" &&
            d.family != "map")
            return &p;
    return nullptr;
}

std::string fitting_port(const scene::Node& node, const NodeDescription& d, Type from) {
    const Type output = d.output_type(node);
    const Port* best = nullptr;
    int most = -1;
    for (const Port& p : d.ports) {
        if (!connectable(p) || !is_free(node, p)) continue;
        const Type type = d.port_type(p, output);
        if ((type == Type::place) != (from == Type::place)) continue;
        const int worth = (p.reads == Reads::literal ? 4 : 0) + (type == from ? 2 : 0) + (&p == main_input(d) ? 1 : 0);
        if (worth > most) {
            most = worth;
            best = &p;
        }
    }
    return best ? best->name : std::string();
}

std::string add_reading(scene::BuildUp& b, const std::string& layer, const NodeDescription& d,
                        const std::string& from) {
    const scene::Node* source = scene::find_node(b, from).node;
    const Type type = source ? type_of(*source) : d.types.front();
    const std::string made = make(b, layer, d, type_after(d, type));
    scene::Node* n = scene::node(b, made);
    const std::string port = source ? fitting_port(*n, d, type) : std::string();
    if (!port.empty()) put_wire(*n, *d.port(port), from);
    return made;
}

std::string add_where_wanted(scene::BuildUp& b, const std::string& layer, const NodeDescription& d,
                             const std::string& beside) {
    const scene::NodePlace place = scene::find_node(b, beside);
    if (!place.node) {
        const std::string made = make(b, layer, d, d.types.front());
        scene::Layer* l = scene::find(b.layers, layer);
        const bool opens = l && l != b.layers.data() && l->gate.mask.from.empty() && d.family != "map" &&
                           d.types.front() == Type::number;
        if (opens) l->gate.mask.from = made;
        return made;
    }
    const std::string lane = place.layer ? place.layer->id : std::string();
    const Type type = type_of(*place.node);
    const Port* on = main_input(d);
    if (on) {
        const std::string made = make(b, lane, d, type_after(d, type));
        scene::for_each_input(b, [&](scene::Input& i) {
            if (i.from == beside) i.from = made;
        });
        put_wire(*scene::node(b, made), *on, beside);
        return made;
    }
    const std::string made = make(b, lane, d, type_after(d, type));
    scene::Node* reader = scene::node(b, beside);
    const auto of = describe(*reader);
    const std::string port = of ? fitting_port(*reader, *of, type_of(*scene::node(b, made))) : std::string();
    const Port* free = port.empty() ? nullptr : of->port(port);
    // What reads the point by itself, as the place of a pattern does, is not what a mask is meant for.
    if (free && (free->reads == Reads::literal || d.types.front() == Type::place)) put_wire(*reader, *free, made);
    return made;
}

bool swap_kind(scene::BuildUp& b, const std::string& id, const NodeDescription& d) {
    scene::Node* n = scene::node(b, id);
    if (!n) return false;
    const NodeDescription* was = describe(n->kind);
    const Port* before = was ? main_input(*was) : nullptr;
    const Port* after = main_input(d);
    scene::Inputs kept;
    for (auto& [name, input] : n->inputs) {
        const Port* p = d.port(name);
        if (before && name == before->name && after) p = after;
        if (!p || std::holds_alternative<std::string>(input.value) != p->text) continue;
        if (p->uniform) input.from.clear();
        kept[p->name] = std::move(input);
    }
    if (was && n->name == was->title) n->name = d.title;
    n->type = type_name(type_after(d, type_of(*n)));
    n->kind = d.kind;
    n->inputs = std::move(kept);
    return true;
}

void scale_lengths(std::vector<scene::Node>& nodes, float size) {
    if (!(size > 0.f) || !std::isfinite(size)) return;
    std::unordered_map<std::string, const NodeDescription*> by_id;
    for (const scene::Node& n : nodes) by_id[n.id] = describe(n.kind);
    auto is_position = [&](const scene::Input& in) {
        const auto at = by_id.find(in.from);
        return at != by_id.end() && at->second && at->second->kind == "position";
    };
    for (scene::Node& n : nodes) {
        const NodeDescription* d = by_id[n.id];
        if (!d) continue;
        for (const Port& p : d->ports)
            if (p.unit == "m" && p.type == Type::number) n.inputs[p.name].value = number_of(n, p) * size;
        const bool finer = d->kind == "multiply" && n.inputs.contains("in1") && is_position(n.inputs["in1"]);
        if (finer) n.inputs["in2"].value = scene::as_triple(n.inputs["in2"].value) / size;
    }
}

void scale_lengths(scene::Layer& layer, float size) {
    if (!(size > 0.f) || !std::isfinite(size)) return;
    scale_lengths(layer.nodes, size);
    for (const Port& p : slots_of(layer).ports)
        if (const auto in = layer.surface.find(p.name); in != layer.surface.end() && p.unit == "m")
            in->second.value = scene::as_number(in->second.value) * size;
}

void fit_lengths(scene::Node& n, float size) {
    const float ratio = size / .5f;
    const NodeDescription* d = describe(n.kind);
    if (!d || !std::isfinite(ratio) || (ratio > 1.f / 3.f && ratio < 3.f) || !(ratio > 0.f)) return;
    for (const Port& p : d->ports) {
        if (p.unit != "m" || p.type != Type::number || n.inputs.contains(p.name)) continue;
        const float wanted = scene::as_number(p.value) * ratio;
        const float step = std::pow(10.f, std::floor(std::log10(std::max(1e-9f, std::fabs(wanted)))) - 1.f);
        n.inputs[p.name].value = std::round(wanted / step) * step;  // two digits
    }
}

}  // namespace vemtra::nodes
