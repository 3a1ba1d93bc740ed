// Subdivision surfaces: the limit of a cage, as a finer mesh.
#pragma once
#include "base/progress.h"
#include "geometry/mesh.h"

namespace vemtra::geometry {

/// No mesh is subdivided beyond so many faces: levels are left out instead.
inline constexpr size_t most_subdivided = size_t(16) << 20;

/// The surface that the cage's polygons tend to, after `levels` halvings (1 to 8), its vertices on the limit surface,
/// its normals those of it (Catmull and Clark 1978; of cages of triangles alone Loop 1987). Vertices of equal place are
/// one. Borders are followed, their corners stay; UVs are smoothed within their islands and keep those islands' borders
/// (face-varying). `hard_edges`: edges over which the cage's normals differ stay sharp. Polygons are those that the
/// file had; where it says nothing, triangles that follow each other as the halves of a quad are taken as one. Null if
/// stopped, and the cage itself where nothing could be made of it.
std::shared_ptr<const Mesh> subdivided(const std::shared_ptr<const Mesh>& cage, int levels, bool hard_edges,
                                       Progress* progress = nullptr);

}  // namespace vemtra::geometry
