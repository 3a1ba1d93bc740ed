// The rows of nodes that hold more than values: the entries of a map stack, the knots of curves.
#pragma once
#include "app/detail/form.h"
#include "nodes/description.h"

namespace vemtra::app {

/// Entries from the top to the bottom, each folded, with what moves, groups and removes them.
void build_stack(Form& form, Workbench& bench, const scene::Node& node);
/// The plot, and which channel it shows.
void build_curves(Form& form, Workbench& bench, const scene::Node& node, const nodes::NodeDescription& description);

}  // namespace vemtra::app
