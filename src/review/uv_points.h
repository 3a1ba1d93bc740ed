// Surface points by their UVs: where on a part a texel lies. For evaluating networks over a UV grid, and later for baking.
#pragma once
#include <vector>

#include "render/integrator.h"

namespace vemtra::review {

struct UvPoint {
    bool covered = false;
    uint32_t triangle = 0;
    float u = 0.f, v = 0.f;  ///< barycentric
};
/// The points at pixel centres of an N x N grid over one UDIM tile, u fastest, v up. Of overlapping triangles the first one counts.
std::vector<UvPoint> uv_grid_points(const geometry::Mesh& mesh, int n, int udim_tile);

/// The first triangle that lies at this place of the UVs.
UvPoint uv_point(const geometry::Mesh& mesh, const V2f& uv);

/// Evaluates a program at those points; three floats per output component and point, NaN where nothing lies.
std::vector<float> evaluate_at(const render::Prepared& prepared, uint32_t mesh, const std::vector<UvPoint>& points, const program::Program& program);

}  // namespace vemtra::review
