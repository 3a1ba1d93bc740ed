// Straight on over a form: what lies so far away along the surface, over edges and seams of UVs.
#pragma once
#include "geometry/relief.h"

namespace vemtra::geometry {

struct FacePlace {
    uint32_t face = 0;
    float u = 0.f, v = 0.f;  ///< barycentric: of the second corner and of the third
};

/// Where one comes to who goes straight on over the faces (unfolded along each edge that is crossed: a straightest
/// geodesic inside of faces, Polthier and Schmies 1998) by `step`, which is turned into the plane of the first face and
/// keeps its length. The way ends at an open border, on a face without area, and after 128 edges. `step` must be
/// finite; metres of the mesh's own space.
FacePlace walk(const Mesh& mesh, const Welds& welds, FacePlace from, const V3f& step);

/// What a mesh says at a place of a face, in its own space: between its corners, straight.
struct MeshPoint {
    V3f position, normal;  ///< normal: of unit length; 0 where the corners' cancel out
    V2f uv{0.f};
    V3f color{1.f};
};
MeshPoint mesh_point(const Mesh& mesh, const FacePlace& at);

}  // namespace vemtra::geometry
