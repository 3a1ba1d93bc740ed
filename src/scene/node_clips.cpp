#include "scene/node_clips.h"

#include <unordered_set>

#include "base/json_text.h"
#include "scene/edits.h"
#include "scene/networks.h"
#include "scene/project_file.h"

namespace vemtra::scene {
namespace {

constexpr const char* mark = "vemtra_nodes";
constexpr const char* networks_mark = "networks";

std::vector<Node> picked(const BuildUp& b, const std::unordered_set<std::string>& ids) {
    std::vector<Node> nodes;
    for_each_node(b, [&](const Node& n, const Layer*) {
        if (ids.contains(n.id)) nodes.push_back(n);
    });
    return nodes;
}
std::vector<std::string> stand(BuildUp& b, const std::string& layer, std::vector<Node> nodes) {
    Layer* l = find(b.layers, layer);
    std::vector<Node>& lane = l ? l->nodes : b.commons;
    std::vector<std::string> ids;
    for (Node& n : nodes) {
        ids.push_back(n.id);
        lane.push_back(std::move(n));
    }
    return ids;
}

}  // namespace

std::string clip_of(const Scene& scene, const BuildUp& b, const std::vector<std::string>& nodes) {
    Layer carrier;
    carrier.nodes = picked(b, {nodes.begin(), nodes.end()});
    return json_text(Json{{mark, layer_json(carrier)["nodes"]},
                          {networks_mark, networks_json(networks_of(scene.networks, carrier.nodes))}});
}

Result<std::vector<std::string>> paste_clip(Scene& scene, const std::string& build_up, const std::string& layer,
                                            const std::string& clip) {
    const Error no_clip{"Nothing to paste", "", "", "the clipboard holds no nodes", "Copy some on the board first"};
    const auto json = parse_json<Json>(clip);
    if (!json || !json->is_object() || !json->contains(mark)) return no_clip;
    std::vector<Error> problems;
    Layer carrier = parse_layer(Json{{"nodes", (*json)[mark]}}, mark, "", problems);
    BuildUp* to = find(scene.build_ups, build_up);
    if (carrier.nodes.empty() || !to) return no_clip;
    BuildUp& b = *to;
    if (json->contains(networks_mark))
        bring_networks(scene, parse_networks((*json)[networks_mark], networks_mark, "", problems), carrier.nodes);
    std::unordered_map<std::string, std::string> renamed;
    std::vector<Node> nodes = copies(b, carrier.nodes, renamed);
    std::unordered_set<std::string> there;
    for_each_node(b, [&](const Node& n, const Layer*) { there.insert(n.id); });
    for (const Node& n : nodes) there.insert(n.id);
    for (Node& n : nodes)
        for (auto& [name, input] : n.inputs)
            if (!there.contains(input.from)) input.from.clear();
    return stand(b, layer, std::move(nodes));
}

std::vector<std::string> duplicate_nodes(BuildUp& b, const std::vector<std::string>& nodes, bool sources) {
    std::unordered_set<std::string> ids(nodes.begin(), nodes.end());
    if (sources)
        for (const std::string& id : Graph(b).upstream(nodes)) ids.insert(id);
    if (nodes.empty()) return {};
    const NodePlace first = find_node(b, nodes.front());
    const std::string lane = first.layer ? first.layer->id : std::string();
    std::unordered_map<std::string, std::string> renamed;
    std::vector<Node> made = copies(b, picked(b, ids), renamed);
    stand(b, lane, std::move(made));
    std::vector<std::string> out;
    for (const std::string& id : nodes)
        if (const auto at = renamed.find(id); at != renamed.end()) out.push_back(at->second);
    return out;
}

}  // namespace vemtra::scene
