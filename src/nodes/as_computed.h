// From what the artist edits to what is computed and handed over: bypassed nodes pass on what they work on, lists
// become the chains that they stand for.
#pragma once
#include "nodes/description.h"

namespace vemtra::nodes {

/// Whether any of it has to be said at length.
bool has_shorthand(const scene::BuildUp& build_up);
bool has_shorthand(const scene::Network& network);
/// The same, said at length. What a pattern, which works on nothing, fed when it was bypassed shows its literals.
scene::BuildUp as_computed(scene::BuildUp build_up);
scene::Network as_computed(scene::Network network);

}  // namespace vemtra::nodes
