// UVs of a form's own, for painting on what has none: faces that go on evenly become a chart, laid flat along its mean
// normal, and all charts of a form are packed into one square.
#pragma once
#include <memory>
#include <vector>

#include "geometry/shape.h"

namespace vemtra::geometry {

struct Charts {
    std::vector<V2f> corner;  ///< three per face, 0..1; of faces without area all the same
    int size = 64;            ///< texels a side, a power of two up to 8192, at which a texel is as wide as it was asked
    float texel = 0.f;        ///< metres that it is wide then: more than was asked where 8192 do not suffice
    size_t count = 0;         ///< of charts
    /// Gradients over a face, in the form's own space.
    void gradients(const Mesh& mesh, uint32_t face, V3f& u, V3f& v) const;
    V2f at(uint32_t face, float u, float v) const {
        const V2f* c = &corner[3 * size_t(face)];
        return c[0] * (1.f - u - v) + c[1] * u + c[2] * v;
    }
};
/// Made once for a form and a width of texels (metres, in the form's own space) and kept while somebody holds it.
std::shared_ptr<const Charts> charts_of(const std::shared_ptr<const Shape>& shape, float texel);

}  // namespace vemtra::geometry
