// Groups: nodes that become a network and stand on the board as one node. A group is edited in place: its nodes are
// laid open in the lane that the instance stood in, with a tile that passes on for each of its inputs and outputs, by
// their names; while they lie open they are ordinary nodes (Node::laid_open says whose). Closing makes the network of
// what is there then, and all its instances follow.
#pragma once
#include "base/result.h"
#include "nodes/description.h"

namespace vemtra::nodes {

/// What a laid-open node is to its network.
enum class LaidAs : uint8_t { inside, input, output };
std::string laid_open_as(const std::string& network, LaidAs as);
/// Of Node::laid_open; the network is empty where the node belongs to none.
std::pair<std::string, LaidAs> laid_open_of(const scene::Node& node);

/// Puts an instance of a new network in the place of these nodes: what they read from elsewhere becomes its inputs,
/// what others read of them its outputs. Returns the instance's id. An Error where none of them is there.
Result<std::string> make_group(scene::Scene& scene, const std::string& build_up, const std::vector<std::string>& nodes,
                               const std::string& name);
/// An Error where its network is not there, lies open already or has inputs that no wire can carry (words).
Status lay_open(scene::Scene& scene, const std::string& build_up, const std::string& instance);
/// Makes the network anew of what lies open, and returns the id of the instance that stands there then; an Error where
/// nothing of it lies open.
Result<std::string> close_group(scene::Scene& scene, const std::string& build_up, const std::string& network);
/// The instance's nodes stay in the lane as ordinary ones; the network stays for its other instances.
Status dissolve(scene::Scene& scene, const std::string& build_up, const std::string& instance);
/// The instance gets a network of its own, a copy.
Status make_unique(scene::Scene& scene, const std::string& build_up, const std::string& instance);
/// How many instances of the network there are, in build-ups and networks.
int instances_of(const scene::Scene& scene, const std::string& network);

}  // namespace vemtra::nodes
