#include "app/bench/node_work.h"

#include "app/workbench.h"
#include "base/paths.h"
#include "nodes/groups.h"
#include "scene/edits.h"

namespace vemtra::app {

void NodeWork::bypass(const std::vector<std::string>& ids) {
    const scene::BuildUp* b = bench_.build_up();
    if (!b || ids.empty()) return;
    bool all = true;
    for (const std::string& id : ids) {
        const scene::Node* n = scene::find_node(*b, id).node;
        all &= n && n->bypassed;
    }
    bench_.edit_build_up(all ? "Let through again" : "Bypass", [&](scene::BuildUp& x) {
        for (const std::string& id : ids)
            if (scene::Node* n = scene::node(x, id)) n->bypassed = !all;
    });
}

void NodeWork::hold_version() {
    const scene::Node* n = bench_.node();
    const auto d = n ? nodes::describe(bench_.scene(), *n) : nullptr;
    if (!d) {
        Q_EMIT bench_.said("Select a tile first");
        return;
    }
    bench_.edit_build_up("Hold this version",
                         [&](scene::BuildUp& b) { nodes::hold_version(*scene::node(b, bench_.selection().node), *d); });
    Q_EMIT bench_.said("These settings are held: change them, and flip between both with X");
}
void NodeWork::flip_version() {
    const scene::Node* n = bench_.node();
    const auto d = n ? nodes::describe(bench_.scene(), *n) : nullptr;
    if (!d) return;
    if (n->held.empty()) return hold_version();
    bench_.edit_build_up("Flip versions",
                         [&](scene::BuildUp& b) { nodes::flip_version(*scene::node(b, bench_.selection().node), *d); });
}

namespace {
/// Tries the change on a copy, so that what is refused leaves no step behind.
template <class R> void change_groups(Workbench& bench, const char* label, const std::function<R(scene::Scene&)>& f) {
    scene::Scene tried = bench.scene();
    const R result = f(tried);
    if (!result) {
        Q_EMIT bench.failed(result.error());
        return;
    }
    bench.edit(label, [&](scene::Scene& s) { s = std::move(tried); });
    if constexpr (std::is_same_v<R, Result<std::string>>) bench.select_node(*result);
}
}  // namespace

void NodeWork::group_nodes(const std::vector<std::string>& ids, const std::string& name) {
    change_groups<Result<std::string>>(
        bench_, "Group", [&](scene::Scene& s) { return nodes::make_group(s, bench_.selection().build_up, ids, name); });
}
void NodeWork::open_group(const std::string& instance) {
    change_groups<Status>(bench_, "Open group",
                          [&](scene::Scene& s) { return nodes::lay_open(s, bench_.selection().build_up, instance); });
}
void NodeWork::close_group(const std::string& network) {
    change_groups<Result<std::string>>(bench_, "Close group", [&](scene::Scene& s) {
        return nodes::close_group(s, bench_.selection().build_up, network);
    });
}
void NodeWork::dissolve_group(const std::string& instance) {
    change_groups<Status>(bench_, "Dissolve group",
                          [&](scene::Scene& s) { return nodes::dissolve(s, bench_.selection().build_up, instance); });
}
void NodeWork::make_group_unique(const std::string& instance) {
    change_groups<Status>(bench_, "Make group unique", [&](scene::Scene& s) {
        return nodes::make_unique(s, bench_.selection().build_up, instance);
    });
}

void NodeWork::add_instance(const std::string& network) {
    const scene::Network* n = scene::find(bench_.scene().networks, network);
    if (!n || !bench_.build_up()) return;
    std::string made;
    bench_.edit_build_up("Add " + n->name, [&](scene::BuildUp& b) {
        made = scene::add_node(b, bench_.selection().layer, "", "", n->name);
        scene::node(b, made)->network = network;
    });
    bench_.select_node(made);
}

void NodeWork::add_map(const fs::path& path, const std::string& layer, const std::string& to, const std::string& port) {
    const scene::BuildUp* b = bench_.build_up();
    if (!b) return;
    const scene::Layer* l = scene::find(b->layers, layer);
    const scene::Node* reader = scene::find_node(*b, to).node;
    const auto d = reader ? nodes::describe(bench_.scene(), *reader) : nullptr;
    nodes::Type type = nodes::Type::color;
    if (const nodes::Port* p = d ? d->port(port) : nullptr) type = d->port_type(*p, d->output_type(*reader));
    if (l && port == scene::gate_slot) type = nodes::Type::number;
    if (l && !port.empty() && port != scene::gate_slot)
        if (const nodes::Port* p = nodes::slots_of(*l).port(port)) type = p->type;
    const auto& types = nodes::description_for(nodes::Use::map).types;
    if (std::find(types.begin(), types.end(), type) == types.end()) type = nodes::Type::color;
    const std::string name = bench_.files().file() ? path_from(bench_.files().folder(), path) : path.string();
    std::string made;
    bench_.edit_build_up("Add map " + path.stem().string(), [&](scene::BuildUp& x) {
        made = nodes::add(x, reader ? scene::find_node(*b, to).layer ? scene::find_node(*b, to).layer->id : "" : layer,
                          nodes::Use::map, type, path.stem().string());
        nodes::set(*scene::node(x, made), nodes::Role::file, name);
        if (d && d->port(port))
            nodes::connect(x, made, to, port, *d);
        else if (l && !port.empty())
            nodes::connect_to_layer(x, made, layer, port);
    });
    bench_.select_node(made);
}

}  // namespace vemtra::app
