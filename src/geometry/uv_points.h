// Surface points by their UVs: where on a part a texel lies. For evaluating networks over a UV grid, and for baking.
#pragma once
#include <vector>

#include "geometry/shape.h"

namespace vemtra::geometry {

struct UvPoint {
    bool covered = false;
    uint32_t face = 0;
    float u = 0.f, v = 0.f;  ///< of the face
};
/// The points at pixel centres of an N x N grid over one UDIM tile, u fastest, v up. Of overlapping faces the first one
/// counts.
std::vector<UvPoint> uv_grid_points(const Shape& shape, int n, int udim_tile);

/// The first face that lies at this place of the UVs.
UvPoint uv_point(const Shape& shape, const V2f& uv);

}  // namespace vemtra::geometry
