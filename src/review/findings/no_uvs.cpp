// Nodes that read UVs on parts that bring none: maps are one texel there, and what compares neighbours sees none.
#include "review/finding.h"
#include "scene/graph.h"

namespace vemtra::review {
namespace {

/// Whether the node itself reads the mesh's UVs; what it takes them from by a wire says so itself.
bool reads_uvs(const scene::Node& node) {
    const nodes::NodeDescription* d = node.network.empty() ? nodes::describe(node.kind) : nullptr;
    if (!d || node.bypassed) return false;
    if (d->port(nodes::Role::projection) && nodes::number_of(node, nodes::Role::projection) > .5f) return false;
    if (d->gives == nodes::Reads::uv || d->taps) return true;
    return std::any_of(d->ports.begin(), d->ports.end(), [&](const nodes::Port& p) {
        const auto wired = node.inputs.find(p.name);
        const bool alone = wired == node.inputs.end() || wired->second.from.empty();
        return p.spread || (p.reads == nodes::Reads::uv && alone);
    });
}

/// Its nodes that read UVs and feed something that shows, by what they are called; a few of them.
std::vector<std::string> readers_of(const scene::BuildUp& b) {
    constexpr size_t named = 3;
    std::vector<std::string> out;
    const scene::Graph graph(b);
    scene::for_each_node(b, [&](const scene::Node& n, const scene::Layer* layer) {
        if (out.size() > named || (layer && !layer->on) || !reads_uvs(n) || graph.ends(n.id).empty()) return;
        out.push_back(out.size() == named ? "others" : "'" + (n.name.empty() ? n.id : n.name) + "'");
    });
    return out;
}

}  // namespace

void find_no_uvs(Look& look) {
    for (size_t b = 0; b < look.prepared.scene->build_ups.size(); ++b) {
        std::string bare;
        for (const uint32_t i : look.instances_of(b))
            if (bare.empty() && look.remembered.uvs(look.prepared.geometry->instances()[i].shape).missing)
                bare = look.prepared.parts[i]->name;
        if (bare.empty()) continue;
        const scene::BuildUp& worn = look.prepared.scene->build_ups[b];
        std::string names;
        for (const std::string& name : readers_of(worn)) names += (names.empty() ? "" : ", ") + name;
        if (!names.empty())
            look.tell(Grade::problem, {"A part has no UVs to read", "", worn.name + " / part " + bare,
                                       names + " read them: maps, bumps and blurs are even there",
                                       "Place the maps by a frame (box, cylinder, sphere), or unwrap the part"});
    }
}

}  // namespace vemtra::review
