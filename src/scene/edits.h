// Edits of a Scene that more than one place of the interface makes, or that must keep several fields in agreement.
// All of them take ids; an id that does not exist makes the edit do nothing.
#pragma once
#include <unordered_set>

#include "scene/graph.h"
#include "scene/scene.h"

namespace vemtra::scene {

/// Hands out ids that are not taken: "rust", "rust-2", ... In constant time each, however many are taken.
class FreshIds {
public:
    explicit FreshIds(const std::vector<std::string>& taken) : taken_(taken.begin(), taken.end()) {}
    std::string take(const std::string& stem);

private:
    std::unordered_set<std::string> taken_;
    std::unordered_map<std::string, int> next_;
};
/// The ids of the items.
template <class T> std::vector<std::string> ids_of(const std::vector<T>& items) {
    std::vector<std::string> out;
    for (const T& item : items) out.push_back(item.id);
    return out;
}

/// An id that is not taken yet in the build-up (layers and nodes share no names), made from a readable stem: "rust",
/// "rust-2", ...
std::string fresh_id(const BuildUp& build_up, const std::string& stem);
std::string fresh_id(const std::vector<std::string>& taken, const std::string& stem);
/// "Sea-green enamel" -> "sea-green-enamel"
std::string stem_of(const std::string& name);

/// Adds above `above` (empty: outermost). Returns the new layer's id.
std::string add_layer(BuildUp& build_up, const std::string& name, const std::string& above = {},
                      LayerKind kind = LayerKind::cover);
void remove_layer(BuildUp& build_up, const std::string& layer_id);  ///< the last layer stays, and a base under a coat;
                                                                    ///< nodes that others use move to commons
std::string duplicate_layer(BuildUp& build_up, const std::string& layer_id);
void move_layer(BuildUp& build_up, const std::string& layer_id,
                int to_index);  ///< not where a coat would become the base

/// Adds to the layer's lane, or to commons where `layer_id` is empty. Returns the new node's id.
std::string add_node(BuildUp& build_up, const std::string& layer_id, const std::string& kind, const std::string& type,
                     const std::string& name);
void remove_node(BuildUp& build_up, const std::string& node_id);  ///< what it fed falls back to the literals
Node* node(BuildUp& build_up, const std::string& node_id);

/// True where `to_node` taking its input from `from_node` would make a circle.
bool would_circle(const BuildUp& build_up, const std::string& from_node, const std::string& to_node);

/// True where the build-up `from` is, or contains at any depth, the build-up `to`: using `from` as a layer of `to`
/// would make a circle.
bool build_up_reaches(const Scene& scene, const std::string& from, const std::string& to);
/// Which build-ups show which others through their layers, for many questions about one scene.
class BuildUpReach {
public:
    explicit BuildUpReach(const Scene& scene);
    /// Per build-up: whether it is that one, or shows it.
    std::vector<char> to(const std::string& build_up) const;

private:
    std::unordered_map<std::string, size_t> index_;
    std::vector<std::vector<size_t>> shown_in_;
};
/// The layers whose build-ups close circles; once they have surfaces of their own there is none.
std::vector<Layer*> layers_in_circles(Scene& scene);
/// Indices of build-ups in an order in which each stands behind all those that its layers show; circles are cut.
std::vector<size_t> inner_first(const Scene& scene);

/// Gives a layer another surface; gate, amount, name and the nodes that feed the mask stay. Nodes that fed only the old
/// surface go.
void exchange_surface(BuildUp& build_up, const std::string& layer_id, const Inputs& surface,
                      const std::vector<Node>& nodes);

/// A build-up of one layer in a neutral grey paint, and a rig with a soft sky and a key light: what a new project
/// starts with.
BuildUp default_build_up(const std::string& id, const std::string& name);
Rig default_rig();
/// Places the camera so that the box fills the frame, from the front, a little above.
void frame(Camera& camera, const Box3f& box, float aspect);

/// What a project gets that has just received its first asset: a camera that frames the box, and a rig whose stage and
/// lights fit its size.
void fit_to(Scene& scene, const Box3f& box);

}  // namespace vemtra::scene
