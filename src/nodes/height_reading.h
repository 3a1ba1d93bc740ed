// Which nodes look at how far heights have moved the surface.
#pragma once
#include "nodes/kernel.h"

namespace vemtra::nodes {

bool reads_heights(Kernel kernel);

}  // namespace vemtra::nodes
