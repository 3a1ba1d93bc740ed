// Where a wire goes when nobody says so: the port that fits what comes, the place at which a new node is wanted.
#pragma once
#include "nodes/description.h"

namespace vemtra::nodes {

/// What the node works on: its subject, else its first port that is of the output's own type, else the first one that
/// can be connected and reads nothing by itself. Null: it works on nothing (a pattern, a value of the form).
const Port* main_input(const NodeDescription& d);
/// The port of the node that a wire with `from` on it takes: a free one of that very type before a free one that it can
/// be converted for, the subject before others; ports that read the point by themselves come last. Empty: none is free.
std::string fitting_port(const scene::Node& node, const NodeDescription& d, Type from);

/// Adds a node of that kind where it is wanted, and returns its id.
/// With a node `beside`: what works on something is put behind it (what read `beside` reads the new one), in its type
/// where it has that; what works on nothing feeds the free port of `beside` that fits, if there is one.
/// Without: a number that works on nothing yet opens the free gate of the layer, where the layer lies on others.
std::string add_where_wanted(scene::BuildUp& build_up, const std::string& layer, const NodeDescription& d,
                             const std::string& beside);
/// Adds one that reads `from`; nothing else changes.
std::string add_reading(scene::BuildUp& build_up, const std::string& layer, const NodeDescription& d,
                        const std::string& from);
/// The node becomes one of another kind: its name, its readers and what stands at ports of the same name stay, and what
/// it worked on is what it works on. False where there is no such node.
bool swap_kind(scene::BuildUp& build_up, const std::string& node, const NodeDescription& d);

/// Nodes that are meant for an asset of one metre, for one of `size` metres: ports in metres grow, what the position is
/// multiplied by shrinks.
void scale_lengths(std::vector<scene::Node>& nodes, float size);
/// The same for a layer's nodes, and what stands at its slots in metres.
void scale_lengths(scene::Layer& layer, float size);
/// A new node's lengths, where the asset is much smaller or larger than what the defaults are meant for (half a metre).
void fit_lengths(scene::Node& node, float size);

}  // namespace vemtra::nodes
