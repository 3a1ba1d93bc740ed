#include "scene/graph.h"

#include <algorithm>

#include "scene/edits.h"

namespace vemtra::scene {

Graph::Graph(const BuildUp& b) {
    for_each_node(b, [&](const Node& n, const Layer* layer) {
        nodes_.try_emplace(n.id, NodePlace{&n, layer});
        for (const auto& [name, input] : n.inputs)
            if (!input.from.empty()) readers_[input.from].push_back(&n);
    });
    for (const Layer& layer : b.layers) {
        if (!layer.on) continue;
        if (!layer.gate.mask.from.empty()) ends_[layer.gate.mask.from].push_back({layer.id, gate_slot, true});
        for (const auto& [slot, input] : layer.surface)
            if (!input.from.empty()) ends_[input.from].push_back({layer.id, slot, true});
    }
}

NodePlace Graph::find(const std::string& id) const {
    const auto it = nodes_.find(id);
    return it == nodes_.end() ? NodePlace{} : it->second;
}
const std::vector<const Node*>& Graph::readers(const std::string& id) const {
    static const std::vector<const Node*> none;
    const auto it = readers_.find(id);
    return it == readers_.end() ? none : it->second;
}

Ids Graph::upstream(const std::vector<std::string>& from) const {
    Ids seen;
    std::vector<std::string> open = from;
    while (!open.empty()) {
        std::string id = std::move(open.back());
        open.pop_back();
        if (const Node* n = find(id).node; n && seen.insert(id).second)
            for (const std::string& s : sources(n->inputs)) open.push_back(s);
    }
    return seen;
}

Ids Graph::downstream(const std::string& from) const {
    Ids seen;
    std::vector<std::string> open{from};
    while (!open.empty()) {
        std::string id = std::move(open.back());
        open.pop_back();
        if (seen.insert(id).second)
            for (const Node* reader : readers(id)) open.push_back(reader->id);
    }
    return seen;
}

std::vector<LayerEnd> Graph::ends(const std::string& id) const {
    std::vector<LayerEnd> out;
    std::vector<std::string> open{id};
    Ids seen;
    while (!open.empty()) {
        const std::string at = std::move(open.back());
        open.pop_back();
        if (!seen.insert(at).second) continue;
        if (const auto it = ends_.find(at); it != ends_.end())
            for (LayerEnd e : it->second) {
                e.straight = at == id;
                out.push_back(std::move(e));
            }
        const auto& readers_here = readers(at);
        for (auto reader = readers_here.rbegin(); reader != readers_here.rend(); ++reader)
            open.push_back((*reader)->id);
    }
    return out;
}

std::vector<std::string> sources(const Inputs& inputs) {
    std::vector<std::string> out;
    for (const auto& [name, input] : inputs)
        if (!input.from.empty()) out.push_back(input.from);
    return out;
}

void remove_unread(BuildUp& b, const std::string& layer_id, std::vector<std::string> candidates) {
    Layer* layer = find(b.layers, layer_id);
    if (!layer) return;
    std::unordered_map<std::string, int> reads;
    for_each_input(b, [&](Input& i) { ++reads[i.from]; });
    std::unordered_map<std::string, const Node*> lane;
    for (const Node& n : layer->nodes) lane.emplace(n.id, &n);
    Ids gone;
    while (!candidates.empty()) {
        const std::string id = std::move(candidates.back());
        candidates.pop_back();
        const auto it = lane.find(id);
        if (it == lane.end() || reads[id] > 0 || !gone.insert(id).second) continue;
        for (const std::string& s : sources(it->second->inputs)) {
            --reads[s];
            candidates.push_back(s);
        }
    }
    std::erase_if(layer->nodes, [&](const Node& n) { return gone.contains(n.id); });
}

std::vector<Node> copies(const BuildUp& b, const std::vector<Node>& nodes,
                         std::unordered_map<std::string, std::string>& renamed) {
    std::vector<std::string> taken;
    for_each_node(b, [&](const Node& n, const Layer*) { taken.push_back(n.id); });
    for (const Layer& l : b.layers) taken.push_back(l.id);
    FreshIds fresh(taken);
    std::vector<Node> out = nodes;
    for (Node& n : out) {
        const std::string id = fresh.take(n.id);
        renamed[n.id] = id;
        n.id = id;
    }
    for (Node& n : out) follow(n.inputs, renamed);
    return out;
}

void follow(Inputs& inputs, const std::unordered_map<std::string, std::string>& renamed) {
    for (auto& [name, input] : inputs)
        if (const auto it = renamed.find(input.from); it != renamed.end()) input.from = it->second;
}

}  // namespace vemtra::scene
