// Walks over the nodes of a build-up or a network: one family for all who follow wires. Every walk is over a stack of
// its own, never by recursion, so that a file cannot end the program by a long chain; each node is looked at once.
#pragma once
#include <string_view>
#include <unordered_map>
#include <unordered_set>

#include "scene/scene.h"

namespace vemtra::scene {

using Ids = std::unordered_set<std::string>;

/// Calls f(node, layer) for every node: those of the commons first (layer null), then lane by lane.
template <class B, class F> void for_each_node(B& build_up, F&& f) {
    using Owner = std::conditional_t<std::is_const_v<B>, const Layer, Layer>;
    for (auto& n : build_up.commons) f(n, static_cast<Owner*>(nullptr));
    for (auto& layer : build_up.layers)
        for (auto& n : layer.nodes) f(n, &layer);
}

/// Every input of the build-up that a node may feed, to look at or to change: calls f(Input&).
template <class B, class F> void for_each_input(B& build_up, F&& f) {
    for_each_node(build_up, [&](auto& n, auto*) {
        for (auto& [name, input] : n.inputs) f(input);
    });
    for (auto& layer : build_up.layers) {
        f(layer.gate.mask);
        for (auto& [name, input] : layer.surface) f(input);
    }
}

/// A slot of a layer, or its gate (slot = gate_slot), that a node feeds, straight or through others.
struct LayerEnd {
    std::string layer, slot;
    bool straight = false;
};
inline constexpr const char* gate_slot = "gate";

/// Who stands where, and who reads whom. It points into the build-up: an edit makes it stale.
class Graph {
public:
    explicit Graph(const BuildUp& build_up);

    NodePlace find(const std::string& id) const;  ///< node null where there is none
    const std::vector<const Node*>& readers(const std::string& id) const;
    /// The nodes that these read, directly or through others, themselves among them.
    Ids upstream(const std::vector<std::string>& from) const;
    /// The nodes that read this one, directly or through others, itself among them.
    Ids downstream(const std::string& id) const;
    /// Where its values go, in layers that are switched on.
    std::vector<LayerEnd> ends(const std::string& id) const;

private:
    std::unordered_map<std::string_view, NodePlace> nodes_;
    std::unordered_map<std::string_view, std::vector<const Node*>> readers_;
    std::unordered_map<std::string_view, std::vector<LayerEnd>> ends_;
};

/// What these inputs read.
std::vector<std::string> sources(const Inputs& inputs);

/// The nodes of the lane, out of `candidates` and what only they read, that nothing reads any more are taken away.
void remove_unread(BuildUp& build_up, const std::string& layer, std::vector<std::string> candidates);

/// Copies of nodes under names that are free in the build-up; wires among them follow. `renamed` gets old and new ids.
std::vector<Node> copies(const BuildUp& build_up, const std::vector<Node>& nodes,
                         std::unordered_map<std::string, std::string>& renamed);
void follow(Inputs& inputs, const std::unordered_map<std::string, std::string>& renamed);

}  // namespace vemtra::scene
