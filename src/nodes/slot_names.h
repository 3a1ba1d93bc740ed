// The names of the slots, as nodes and what is above them say them.
#pragma once
#include "scene/relief_slots.h"
#include "scene/slot_names.h"

namespace vemtra::nodes {

namespace slot = scene::slot;

}  // namespace vemtra::nodes
