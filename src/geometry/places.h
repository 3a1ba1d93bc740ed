// A mesh by its places: vertices that were split at seams are one, and faces know who lies on the other side.
#pragma once
#include <array>
#include <functional>
#include <vector>

#include "geometry/mesh.h"

namespace vemtra::geometry {

/// Per vertex the first one that lies at the very same place.
std::vector<uint32_t> first_at_place(const Mesh& mesh);
/// Per face and side (from its k-th corner to the next) the face beyond it, -1 where there is none. Two corners are one
/// where `id`, per vertex, is equal; of more than two faces at a side they are paired in their order.
std::vector<std::array<int, 3>> faces_beside(const Mesh& mesh, const std::vector<uint32_t>& id);

}  // namespace vemtra::geometry
