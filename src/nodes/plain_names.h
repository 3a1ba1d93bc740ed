// What ports and types are called on the screen: plain words; the standard's own names stand in the tooltip and the
// documentation.
#pragma once
#include "nodes/description.h"

namespace vemtra::nodes {

/// "inlow" -> "from, low"; a name without a row is its own words, with spaces.
std::string plain_name(const Port& port);
/// "color3" -> "colour"
std::string plain_name(Type type);

}  // namespace vemtra::nodes
