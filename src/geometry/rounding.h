// Faces bent to the smooth form that their normals tell of: cubic patches over triangles (Vlachos, Peters, Boyd and
// Mitchell 2001, "Curved PN Triangles").
#pragma once
#include "geometry/relief.h"

namespace vemtra::geometry {

/// From the flat face to the bent one at the place with barycentric coordinates u (of the second corner) and v (of the
/// third), in the mesh's own space, metres; never longer than .35 of the face's longest side. Along a side it follows
/// from that side alone, the same for both faces: where their normals part, the side bends along the line in which both
/// tangent planes meet, so that the rim of a cylinder becomes round.
V3f bulge(const Mesh& mesh, const Welds& welds, uint32_t face, float u, float v);
/// No component of bulge() is larger, over all faces.
float largest_bulge(const Mesh& mesh);

}  // namespace vemtra::geometry
