#include "scene/networks.h"

#include <set>

#include "scene/edits.h"

namespace vemtra::scene {

std::vector<Network> networks_of(const std::vector<Network>& all, const std::vector<Node>& nodes) {
    std::vector<Network> out;
    std::set<std::string> seen;
    std::vector<std::string> open;
    auto look = [&](const std::vector<Node>& list) {
        for (const Node& n : list)
            if (!n.network.empty() && seen.insert(n.network).second) open.push_back(n.network);
    };
    look(nodes);
    while (!open.empty()) {
        const Network* n = find(all, open.back());
        open.pop_back();
        if (!n) continue;
        out.push_back(*n);
        look(n->nodes);
    }
    return out;
}

void bring_networks(Scene& scene, std::vector<Network> networks, std::vector<Node>& nodes) {
    std::map<std::string, std::string> renamed;
    FreshIds fresh(ids_of(scene.networks));
    for (Network& n : networks) {
        const Network* there = find(scene.networks, n.id);
        renamed[n.id] = there && *there == n ? n.id : fresh.take(n.id);
    }
    auto follow = [&](std::vector<Node>& list) {
        for (Node& n : list)
            if (const auto it = renamed.find(n.network); it != renamed.end()) n.network = it->second;
    };
    for (Network& n : networks) {
        const std::string id = renamed[n.id];
        follow(n.nodes);
        n.id = id;
        if (!find(scene.networks, id)) scene.networks.push_back(std::move(n));
    }
    follow(nodes);
}

}  // namespace vemtra::scene
