// Networks evaluated at texels of an instance.
#pragma once
#include "geometry/uv_points.h"
#include "render/prepared.h"

namespace vemtra::review {

/// Evaluates a program at those points of an instance; one float per output component and point, NaN where nothing
/// lies.
std::vector<float> evaluate_at(const render::Prepared& prepared, uint32_t instance,
                               const std::vector<geometry::UvPoint>& points, const program::Program& program);

}  // namespace vemtra::review
