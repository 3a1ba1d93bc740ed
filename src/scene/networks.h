// Networks on their way from one project to another: with a stock entry, or over the clipboard.
#pragma once
#include "scene/scene.h"

namespace vemtra::scene {

/// The networks that these nodes are instances of, at any depth.
std::vector<Network> networks_of(const std::vector<Network>& all, const std::vector<Node>& nodes);
/// Networks that come from elsewhere with nodes that are instances of them: those that are there alike are used, the
/// others come in under free ids, which the nodes follow.
void bring_networks(Scene& scene, std::vector<Network> networks, std::vector<Node>& nodes);

}  // namespace vemtra::scene
