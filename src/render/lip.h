// The lip of a cover: what its edge looks like from the side.
#pragma once
#include "scene/relief_slots.h"

namespace vemtra::render {

/// How high a cover stands at a place that lies `inside` lip widths within its border, 0 or more; in thicknesses. 1
/// from one width on.
float lip_height(scene::Lip lip, float inside);
/// The most that lip_height gives.
float highest_lip(scene::Lip lip);

}  // namespace vemtra::render
