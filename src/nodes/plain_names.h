// What ports and types are called on the screen: plain words; the standard's own names stand in the tooltip and the
// documentation.
#pragma once
#include "nodes/description.h"

namespace vemtra::nodes {

/// "inlow" -> "from, low"; a name without a row is its own words, with spaces.
std::string plain_name(const Port& port);
/// The node's formula with its ports by their plain names, in angle quotes; empty where it has none.
std::string plain_formula(const NodeDescription& description);
/// "color3" -> "colour"
std::string plain_name(Type type);

}  // namespace vemtra::nodes
